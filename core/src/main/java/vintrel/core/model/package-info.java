/**
 * What is to be expected of a series: {@link vintrel.core.model.Band} (robust, seasonal), {@link
 * vintrel.core.model.Trend} (a line that outliers don't move, and where it leads), {@link
 * vintrel.core.model.Outliers}. All work on plain arrays of evenly spaced values, NaN if missing,
 * and hold no state.
 */
package vintrel.core.model;
