/**
 * Measures Vintrel from outside and its codecs from inside; prints Markdown tables for
 * docs/benchmarks.md. Nothing here is asserted: machines differ and are noisy.
 */
package vintrel.bench;
