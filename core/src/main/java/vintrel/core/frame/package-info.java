/**
 * Tables of typed columns: what an API answers and a table shows. {@link vintrel.core.frame.Frames}
 * makes them of a query's answer: one time column and a number column for each series, or a table
 * of the latest values.
 */
package vintrel.core.frame;
