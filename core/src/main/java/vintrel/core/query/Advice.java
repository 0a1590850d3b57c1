package vintrel.core.query;

/** Something doubtful about a query that can be answered all the same. */
public record Advice(String code, String text, int line, int column) {}
