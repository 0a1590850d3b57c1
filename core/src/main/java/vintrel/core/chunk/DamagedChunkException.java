package vintrel.core.chunk;

/** The bytes are not a chunk, or not the one that was written. */
public final class DamagedChunkException extends RuntimeException {
  public DamagedChunkException(String text) {
    super(text);
  }
}
