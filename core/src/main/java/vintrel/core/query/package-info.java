/**
 * The query language: text → tree → answer.
 *
 * <p>{@link vintrel.core.query.Parser} makes a {@link vintrel.core.query.Query} of text, {@link
 * vintrel.core.query.Printer} makes canonical text of a query, and {@link
 * vintrel.core.query.Evaluator} answers it from a {@link vintrel.core.store.SampleSource}. {@link
 * vintrel.core.query.Vocabulary} describes every step once, for parser errors, completion and the
 * reference page. What is wrong with a text is a {@link vintrel.core.query.QueryException} with its
 * place; what is doubtful is an {@link vintrel.core.query.Advice} beside the answer. {@link
 * vintrel.core.query.Completer} and {@link vintrel.core.query.Chips} help to write; {@link
 * vintrel.core.query.Frames} makes tables of answers and series of tables; what is no sample comes
 * through {@link vintrel.core.query.ExternalSource}.
 *
 * <p>Inside, a {@code Run} answers one query: {@code Reach} says what each step must see, {@code
 * TierAnswers} and {@code Remembered} save reading, {@code Steps} and {@code TableSteps} compute,
 * the {@code Advisor} looks on.
 *
 * <p>Trees are immutable; positions in the text do not take part in their equality. An evaluator
 * may be shared by threads; all it holds between calls are closed buckets.
 */
package vintrel.core.query;
