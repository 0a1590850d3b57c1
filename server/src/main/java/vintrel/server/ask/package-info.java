/**
 * Asking: {@link vintrel.server.ask.Queries} answers query texts for everyone else; the API, the
 * Bench, the events search and the language's reference are its pages. {@link
 * vintrel.server.ask.ExternalStores} keeps the external stores, {@link
 * vintrel.server.ask.SqlStores} queries databases; {@link vintrel.server.ask.ActiveQueries} ends
 * queries that no page is waiting for.
 */
package vintrel.server.ask;
