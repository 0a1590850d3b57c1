/**
 * Telling: {@link vintrel.server.tell.Outbox} takes messages within the transaction that caused
 * them, the dispatcher sends them with retries and logs every attempt.
 */
package vintrel.server.tell;
