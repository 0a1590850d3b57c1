/**
 * Telling: from a transition to messages. {@link vintrel.core.tell.RoutingTable} decides who is
 * notified, {@link vintrel.core.tell.MessageText} what they read, {@link vintrel.core.tell.Backoff}
 * when a failed attempt is made again. Sending itself is the server's.
 */
package vintrel.core.tell;
