package vintrel.server.store;

/** How the store does, for its own metrics. Any thread. */
public interface StoreHealth {
  StoreStats stats();

  /** Samples that are held in memory. */
  long headSize();

  /** Bytes that samples in memory take. */
  long headBytes();

  /** Bytes of the journal that are not in chunks yet. */
  long journalBytes();

  /** Seconds since the journal was last written to chunks. */
  double journalAge();

  /** The share of pages of chunks that were found in memory, 0 to 1. */
  double cacheHits();
}
