/**
 * The query language: text → tree → result. {@link vintrel.core.query.Evaluator} is the door; the
 * work is in four rooms, each of which uses only those named before it.
 *
 * <ul>
 *   <li>{@code syntax}: the tree, its parser and printer, rewriting, the list of all steps
 *   <li>{@code plan}: what must be read: ranges, bucket widths, tiers, reuse of buckets, limits
 *   <li>{@code compute}: the steps themselves, pairing, tables, reading
 *   <li>{@code assist}: advice about a query, completion, chips
 * </ul>
 */
package vintrel.core.query;
