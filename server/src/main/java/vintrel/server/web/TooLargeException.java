package vintrel.server.web;

import java.io.IOException;

/** A body is larger than its limit, which the message names. */
public final class TooLargeException extends IOException {
  public TooLargeException(long max) {
    super("the request holds more than %,d bytes, the limit here; send it in parts".formatted(max));
  }
}
