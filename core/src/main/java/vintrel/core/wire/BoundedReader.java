package vintrel.core.wire;

import java.io.FilterReader;
import java.io.IOException;
import java.io.Reader;

/** Ends a document in which one record or line has no end, before it fills the memory. */
public final class BoundedReader extends FilterReader {
  /** Characters of one record, or of a line. */
  static final int MAX_LENGTH = 1_000_000;

  private long read;

  public BoundedReader(Reader in) {
    super(in);
  }

  /** A record is complete. */
  void mark() {
    read = 0;
  }

  private int counted(int n) {
    read += Math.max(0, n);
    if (read > MAX_LENGTH) {
      throw new WireException(
          "a row or a line has more than %,d characters; is a quote not closed?"
              .formatted(MAX_LENGTH));
    }
    return n;
  }

  @Override
  public int read() throws IOException {
    int c = super.read();
    counted(c < 0 ? 0 : 1);
    return c;
  }

  @Override
  public int read(char[] to, int from, int length) throws IOException {
    return counted(super.read(to, from, Math.min(length, MAX_LENGTH / 4)));
  }

  /**
   * The next line, without its end, or null.
   *
   * @throws WireException if it is too long
   */
  public String line() throws IOException {
    mark();
    var out = new StringBuilder();
    int c = read();
    if (c < 0) {
      return null;
    }
    for (; c >= 0 && c != '\n'; c = read()) {
      out.append((char) c);
    }
    int end = out.length();
    if (end > 0 && out.charAt(end - 1) == '\r') {
      out.setLength(end - 1);
    }
    return out.toString();
  }
}
