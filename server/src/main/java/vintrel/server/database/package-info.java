/**
 * The database: {@link vintrel.server.database.Database} runs work in transactions, {@link
 * vintrel.server.database.DatabaseKind} knows what differs between H2 and PostgreSQL.
 */
package vintrel.server.database;
