/**
 * What a chart needs, short of drawing: the pitch that fits a width ({@link
 * vintrel.core.picture.Pitch}), axes with their ticks as text ({@link vintrel.core.picture.Axis}),
 * colours that stay with a series ({@link vintrel.core.picture.Palette}), and the readout of each
 * series ({@link vintrel.core.picture.Readout}). {@link vintrel.core.picture.Picture} joins them;
 * {@link vintrel.core.picture.Glimpse} is as large as a word.
 */
package vintrel.core.picture;
