/**
 * Watching: {@link vintrel.server.watch.Watcher} checks each rule at its interval, keeps the state
 * of every series and writes transitions, state and outgoing messages in one transaction. {@link
 * vintrel.server.watch.AlertLog} is what others may read of it.
 */
package vintrel.server.watch;
