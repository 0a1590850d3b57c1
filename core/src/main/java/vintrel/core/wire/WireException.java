package vintrel.core.wire;

/** The input as a whole can't be read; nothing of it was taken. */
public final class WireException extends RuntimeException {
  public WireException(String text) {
    super(text);
  }
}
