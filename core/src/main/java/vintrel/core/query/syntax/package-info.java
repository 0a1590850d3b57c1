/**
 * The query language as text and tree.
 *
 * <p>{@link vintrel.core.query.syntax.Parser} turns text into a {@link
 * vintrel.core.query.syntax.Query}, {@link vintrel.core.query.syntax.Printer} a query into
 * canonical text; {@link vintrel.core.query.syntax.Trees} walks and maps trees. {@link
 * vintrel.core.query.syntax.Vocabulary} describes every step once, for parser errors, completion
 * and the reference page. An error in a text is a {@link vintrel.core.query.syntax.QueryException}
 * with its place. Trees are immutable; positions in the text are ignored by their equality.
 */
package vintrel.core.query.syntax;
