/**
 * Helps people write queries: {@code Advisor} collects advice while a query is computed, {@link
 * vintrel.core.query.assist.Completer} proposes what can be typed next, {@link
 * vintrel.core.query.assist.Chips} shows a step as words that can be exchanged.
 */
package vintrel.core.query.assist;
