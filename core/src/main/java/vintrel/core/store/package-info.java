/**
 * What a store promises, and its part in memory.
 *
 * <p>{@link vintrel.core.store.SampleStore} is the seam: whoever keeps samples implements it, and
 * queries and collectors know nothing else. A sample goes: {@link vintrel.core.store.SampleBatch} →
 * journal ({@link vintrel.core.store.JournalCodec}) → {@link vintrel.core.store.HeadSamples} →
 * sealed chunk. The order matters: a batch is in the journal, durably, before it is in the heads,
 * and it leaves the journal in the transaction that writes its chunks.
 */
package vintrel.core.store;
