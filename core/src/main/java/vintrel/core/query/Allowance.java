package vintrel.core.query;

/**
 * What is left to a query, or to a part of one that is answered apart: parts have no time, memory
 * or depth of their own.
 *
 * @param started when the query began, by {@link System#nanoTime}
 * @param depth lines that are being answered around this part
 */
record Allowance(Limits limits, MemoryBudget.Share memory, long started, int depth) {
  static Allowance of(Limits limits, MemoryBudget.Share memory) {
    return new Allowance(limits, memory, System.nanoTime(), 0);
  }

  Allowance deeper(int by) {
    return new Allowance(limits, memory, started, depth + by);
  }
}
