package vintrel.core.query.syntax;

/** A query that can't be answered: what, where, and what to do. */
public final class QueryException extends RuntimeException {
  private final String code;
  private final int line;
  private final int column;
  private final boolean ofNothing;

  /**
   * @param code stable, such as {@code syntax} or {@code limit.series}
   * @param line from 1; 0 if no place in the text is to blame
   * @param column from 1
   */
  public QueryException(String code, String text, int line, int column) {
    this(code, text, line, column, false);
  }

  private QueryException(String code, String text, int line, int column, boolean ofNothing) {
    super(text);
    this.ofNothing = ofNothing;
    this.code = code;
    this.line = line;
    this.column = column;
  }

  public static QueryException at(String code, String message, String text, int offset) {
    int[] place = place(text, offset);
    return new QueryException(code, message, place[0], place[1]);
  }

  /** Of a query whose metric has no series: nothing of that name came yet, or nothing is left. */
  public static QueryException nothing(String code, String message, String text, int offset) {
    int[] place = place(text, offset);
    return new QueryException(code, message, place[0], place[1], true);
  }

  /** Whether all that is wrong is that a metric has no series. */
  public boolean isOfNothing() {
    return ofNothing;
  }

  /** Line and column, both from 1, of an offset. */
  public static int[] place(String text, int offset) {
    int line = 1;
    int start = 0;
    int end = Math.min(offset, text.length());
    for (int i = 0; i < end; i++) {
      if (text.charAt(i) == '\n') {
        line++;
        start = i + 1;
      }
    }
    return new int[] {line, end - start + 1};
  }

  public String code() {
    return code;
  }

  public int line() {
    return line;
  }

  public int column() {
    return column;
  }
}
