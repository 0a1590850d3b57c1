package vintrel.core.store;

/**
 * Memory that somebody asks for before taking it, so that what is too large is refused instead of
 * allocated. Any thread.
 */
public interface MemoryClaim {
  /** Grants everything. */
  MemoryClaim NONE =
      new MemoryClaim() {
        @Override
        public void take(long bytes) {}

        @Override
        public void give(long bytes) {}
      };

  /**
   * Asks for memory before it is allocated.
   *
   * @param bytes zero or more
   * @throws RuntimeException if there is not so much; then nothing was taken
   */
  void take(long bytes);

  /** Gives back what was taken and is not needed any more. */
  void give(long bytes);
}
