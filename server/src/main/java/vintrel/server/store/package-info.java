/**
 * The store on the database: {@link vintrel.server.store.DurableStore} implements {@link
 * vintrel.core.store.SampleStore} with journal files, heads in memory and chunk rows. One thread
 * commits ({@link vintrel.server.store.Committer}), one flushes ({@link
 * vintrel.server.store.Flusher}); reads come from any thread.
 */
package vintrel.server.store;
