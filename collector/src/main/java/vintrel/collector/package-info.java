/**
 * The program that runs on a host and sends what it sees. {@link vintrel.collector.Collector} reads
 * its {@link vintrel.collector.Input}s at an interval, turns the readings into OTLP ({@link
 * vintrel.collector.OtlpJsonText}) and sends them; what can't be sent waits in a bounded queue.
 */
package vintrel.collector;
