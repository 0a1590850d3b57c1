package vintrel.core.chunk;

/** What encoding a chunk needs for a moment. One thread at a time. */
final class Scratch {
  /** A block in each of the ways to pack it. */
  final long[][] ways = new long[4][IntegerBlocks.BLOCK];

  private long[] column = new long[ChunkCodec.FULL];

  /** Room for n integers, until it is asked for again. */
  long[] column(int n) {
    column = n > column.length ? new long[n] : column;
    return column;
  }
}
