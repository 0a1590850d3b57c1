package vintrel.core.query.plan;

/**
 * What is left to a query, or to a part of one that is answered apart: parts have no time, memory
 * or depth of their own.
 *
 * @param started when the query began, by {@link System#nanoTime}
 * @param depth lines that are being answered around this part
 */
public record Allowance(Limits limits, MemoryBudget.Share memory, long started, int depth) {
  public static Allowance of(Limits limits, MemoryBudget.Share memory) {
    return new Allowance(limits, memory, System.nanoTime(), 0);
  }

  public Allowance deeper(int by) {
    return new Allowance(limits, memory, started, depth + by);
  }
}
