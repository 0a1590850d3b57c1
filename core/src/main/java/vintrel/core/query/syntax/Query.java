package vintrel.core.query.syntax;

import java.util.List;

/** One or more lines. A lone line may have no name ("" here). */
public record Query(List<Line> lines, Source source) {
  /**
   * @param name what other lines call it; empty for a lone line without a name
   * @param hidden computed for others' use, but not an answer itself
   */
  public record Line(String name, boolean hidden, Expr expr, SourceSpan span) {}

  /** The text that was parsed, for the places of advice. All sources are equal to each other. */
  public record Source(String text) {
    public static final Source NONE = new Source("");

    @Override
    public boolean equals(Object o) {
      return o instanceof Source;
    }

    @Override
    public int hashCode() {
      return 1;
    }
  }

  public Query {
    lines = List.copyOf(lines);
  }

  /** The line of a name, or null. */
  public Line line(String name) {
    return lines.stream().filter(l -> l.name().equals(name)).findFirst().orElse(null);
  }
}
