/**
 * The query language: text → tree → answer.
 *
 * <p>{@link vintrel.core.query.Parser} makes a {@link vintrel.core.query.Query} of text, {@link
 * vintrel.core.query.Printer} makes canonical text of a query, and {@link
 * vintrel.core.query.Evaluator} answers it from a {@link vintrel.core.store.SampleSource}. {@link
 * vintrel.core.query.Vocabulary} describes every step once, for parser errors, completion and the
 * reference page. What is wrong with a text is a {@link vintrel.core.query.QueryException} with its
 * place; what is doubtful is an {@link vintrel.core.query.Advice} beside the answer.
 *
 * <p>Trees are immutable; positions in the text do not take part in their equality. An evaluator
 * holds no state between calls and may be shared by threads.
 */
package vintrel.core.query;
