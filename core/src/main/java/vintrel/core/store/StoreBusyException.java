package vintrel.core.store;

/** The store can't keep up or can't write now; nothing of the batch was kept. Try again later. */
public final class StoreBusyException extends RuntimeException {
  private final int retrySeconds;

  public StoreBusyException(String text, int retrySeconds) {
    super(text);
    this.retrySeconds = retrySeconds;
  }

  public int retrySeconds() {
    return retrySeconds;
  }
}
