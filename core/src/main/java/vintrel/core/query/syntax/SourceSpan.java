package vintrel.core.query.syntax;

/** The place of a part of a tree in its text: [start, end). All spans are equal to each other. */
public record SourceSpan(int start, int end) {
  public static final SourceSpan NONE = new SourceSpan(0, 0);

  public SourceSpan to(SourceSpan last) {
    return new SourceSpan(start, last.end);
  }

  @Override
  public boolean equals(Object o) {
    return o instanceof SourceSpan;
  }

  @Override
  public int hashCode() {
    return 1;
  }
}
