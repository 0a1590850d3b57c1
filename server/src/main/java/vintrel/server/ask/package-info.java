/**
 * Asking: {@link vintrel.server.ask.Queries} answers query texts for everyone else; the API, the
 * Bench, the events search and the language's reference are its pages. {@link
 * vintrel.server.ask.ExternalStores} keeps the stores elsewhere, {@link
 * vintrel.server.ask.SqlStores} asks databases; {@link vintrel.server.ask.ActiveQueries} ends
 * questions that nobody waits for any more.
 */
package vintrel.server.ask;
