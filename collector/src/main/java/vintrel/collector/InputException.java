package vintrel.collector;

/** An input could not be read; the message says why. */
public final class InputException extends Exception {
  public InputException(String message) {
    super(message);
  }

  static InputException of(Exception e) {
    return new InputException(
        e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage());
  }
}
