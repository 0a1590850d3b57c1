/**
 * Runs the probes of checks: names, connections, certificates, requests. Used by the server and by
 * the collector. Verdicts are {@link vintrel.core.collect.Verdict}'s.
 */
package vintrel.collector.probe;
