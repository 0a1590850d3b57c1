package vintrel.core.query.plan;

/**
 * Something doubtful about a query.
 *
 * @param code stable, such as {@code raw-counter}
 * @param line from 1
 * @param column from 1
 * @param change a change that fixes it, or null
 */
public record Advice(String code, String text, int line, int column, Change change) {
  /**
   * @param words what the change does
   * @param query the whole query after it
   */
  public record Change(String words, String query) {}
}
