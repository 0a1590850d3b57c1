package vintrel.server.web;

/** A sender sends more than it may; it should try again later (429). */
public final class TooManyException extends RuntimeException {
  private final int retrySeconds;

  public TooManyException(String text, int retrySeconds) {
    super(text);
    this.retrySeconds = retrySeconds;
  }

  public int retrySeconds() {
    return retrySeconds;
  }
}
