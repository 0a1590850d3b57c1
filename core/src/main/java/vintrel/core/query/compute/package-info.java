/**
 * Computes the result of a query.
 *
 * <p>A {@code QueryExecution} goes down the tree and up again, {@code Steps} and {@code TableSteps}
 * compute each step, {@code TierReader} reads tiers and {@code QueryReader} everything else. An
 * {@link vintrel.core.query.compute.Observer} is told what happens. {@link
 * vintrel.core.query.compute.Frames} turns results into tables.
 */
package vintrel.core.query.compute;
