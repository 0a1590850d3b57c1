package vintrel.core.chunk;

/** Encodes chunk after chunk without leaving much behind. One thread at a time. */
public final class ChunkWriter {
  private final Scratch scratch = new Scratch();

  /**
   * As {@link ChunkCodec#encode}.
   *
   * @throws IllegalArgumentException as there
   */
  public byte[] encode(Samples samples) {
    return ChunkCodec.encode(samples, scratch);
  }
}
