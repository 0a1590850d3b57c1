package vintrel.core.frame;

import java.util.List;

/** A named table of typed columns. */
public record Frame(String name, List<Column> columns) {
  public Frame {
    columns = List.copyOf(columns);
  }

  public int rows() {
    return columns.isEmpty() ? 0 : columns.getFirst().size();
  }

  /** The number columns, in order. */
  public List<Column.Number> numbers() {
    return columns.stream()
        .filter(Column.Number.class::isInstance)
        .map(Column.Number.class::cast)
        .toList();
  }

  /** The shape in words: 6 series × 240 points, or table 15 × 2. */
  public String shape() {
    long numbers = numbers().size();
    boolean series = !columns.isEmpty() && columns.getFirst() instanceof Column.Time;
    return series
        ? numbers + " series × " + rows() + " points"
        : "table " + rows() + " × " + columns.size();
  }
}
