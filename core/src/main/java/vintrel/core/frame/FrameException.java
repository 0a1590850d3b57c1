package vintrel.core.frame;

/** A table step that does not fit its table: which column is missing, or of another type. */
public final class FrameException extends RuntimeException {
  public FrameException(String message) {
    super(message);
  }
}
