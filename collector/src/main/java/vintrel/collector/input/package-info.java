/** What a collector can read beside its host. */
package vintrel.collector.input;
