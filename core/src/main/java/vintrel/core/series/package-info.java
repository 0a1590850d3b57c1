/**
 * What a series is: a metric name, its labels, its kind and unit.
 *
 * <p>The way in is {@link vintrel.core.series.SeriesKey}, the identity of a series, made of a
 * metric name and {@link vintrel.core.series.Labels}. {@link vintrel.core.series.Series} adds the
 * number that a store gave it. {@link vintrel.core.series.Condition} is the condition of a query's
 * {@code where} and of a routing row: one syntax tree, one meaning, everywhere.
 *
 * <p>All types here are immutable and may be shared between threads. Times in the whole core are
 * milliseconds since the epoch, UTC; ranges are {@code [from, to)}.
 */
package vintrel.core.series;
