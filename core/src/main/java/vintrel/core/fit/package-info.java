/**
 * Fit: from the shape of what a line gives to the shape that a kind of panel needs.
 *
 * <p>{@link vintrel.core.fit.Fit} is the door. {@link vintrel.core.fit.Shape} is what is known of a
 * result, read from a real answer by {@link vintrel.core.fit.ShapeReader}; {@link
 * vintrel.core.fit.Signatures} says which steps may follow a shape, and the shape after each. The
 * search takes the cheapest chains first: each step costs one, and what a step hides costs more.
 * Pure; any thread.
 */
package vintrel.core.fit;
