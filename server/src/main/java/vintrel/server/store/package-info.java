/**
 * The store on the database: {@link vintrel.server.store.DurableStore} keeps the promises of {@link
 * vintrel.core.store.SampleStore} with a journal table, heads in memory and chunk rows. One thread
 * commits ({@link vintrel.server.store.Committer}), one flushes ({@link
 * vintrel.server.store.Flusher}); reads come from any thread.
 */
package vintrel.server.store;
