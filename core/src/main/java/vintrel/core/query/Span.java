package vintrel.core.query;

/** Where a part of a tree stands in its text: [start, end). All spans are equal to each other. */
public record Span(int start, int end) {
  public static final Span NONE = new Span(0, 0);

  public Span to(Span last) {
    return new Span(start, last.end);
  }

  @Override
  public boolean equals(Object o) {
    return o instanceof Span;
  }

  @Override
  public int hashCode() {
    return 1;
  }
}
