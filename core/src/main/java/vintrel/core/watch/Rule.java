package vintrel.core.watch;

import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Map;

/**
 * What is watched.
 *
 * @param name the slug by which definitions and addresses know it
 * @param query the lines, as text
 * @param line the watched line's name; empty for the last
 * @param limits one to three, of different priorities
 * @param every ms between checks, at least 5 s
 * @param behind how far behind now a check looks, ms, for late data
 * @param missing what the absence of data means
 * @param missingAfter ms of absence before it means that
 * @param closeAfter ms without a value after which a series is closed, and no longer watched
 * @param fault what a failing query means
 * @param faultAfter ms of failures before it means that
 * @param labels joined to each series' own, for routing
 * @param summary one sentence of a message; a Mustache template
 * @param details what a message says after its reason; a Mustache template
 * @param paused whether it is not checked; its series keep their states
 * @param learning how the expected band is learned
 */
public record Rule(
    String name,
    String title,
    String folder,
    String description,
    String query,
    String line,
    List<Limit> limits,
    String unit,
    long every,
    long behind,
    Missing missing,
    long missingAfter,
    long closeAfter,
    Missing fault,
    long faultAfter,
    Map<String, String> labels,
    String summary,
    String details,
    String runbook,
    String owner,
    boolean paused,
    Learning learning) {

  public static final long MIN_EVERY = 5_000;
  public static final int MAX_LIMITS = 3;

  /** A day, ms: long enough for a ship out of reach to be heard of again. */
  public static final long CLOSE_AFTER = 86_400_000;

  /** Five minutes, ms: a store that restarts is not worth a word. */
  public static final long FAULT_AFTER = 300_000;

  /** What to do when a series has no fresh value, or its query fails. */
  public enum Missing {
    HOLD,
    SHOW,
    RAISE
  }

  /**
   * From what the expected band is learned.
   *
   * @param zone whose days and weeks count
   * @param except times that are left out
   */
  public record Learning(ZoneId zone, List<Span> except) {
    public static final Learning USUAL = new Learning(ZoneOffset.UTC, List.of());

    public Learning {
      except = List.copyOf(except);
    }

    /**
     * @param from first ms
     * @param to last ms, exclusive
     */
    public record Span(long from, long to) {}

    /** Whether what was at a time counts. */
    public boolean takes(long at) {
      for (var span : except) {
        if (at >= span.from && at < span.to) {
          return false;
        }
      }
      return true;
    }
  }

  public Rule {
    limits = List.copyOf(limits);
    labels = Map.copyOf(labels);
    if (limits.isEmpty() || limits.size() > MAX_LIMITS) {
      throw new IllegalArgumentException("a rule needs one to " + MAX_LIMITS + " limits");
    }
    if (every < MIN_EVERY) {
      throw new IllegalArgumentException("`every` must be at least 5s");
    }
    if (closeAfter < missingAfter + every) {
      throw new IllegalArgumentException(
          "a series can't be closed before its absence has been noticed");
    }
    if (limits.stream().map(Limit::priority).distinct().count() != limits.size()) {
      throw new IllegalArgumentException("each limit of a rule must have a different priority");
    }
  }

  /** The same with other limits. */
  public Rule with(List<Limit> others) {
    return with(others, learning);
  }

  /** The same with another way to learn its expected band. */
  public Rule with(Learning other) {
    return with(limits, other);
  }

  private Rule with(List<Limit> others, Learning other) {
    return new Rule(
        name,
        title,
        folder,
        description,
        query,
        line,
        others,
        unit,
        every,
        behind,
        missing,
        missingAfter,
        closeAfter,
        fault,
        faultAfter,
        labels,
        summary,
        details,
        runbook,
        owner,
        paused,
        other);
  }

  /** The limit of a priority, or null. */
  public Limit limit(Priority priority) {
    int i = indexOf(priority);
    return i < 0 ? null : limits.get(i);
  }

  /** The place of the limit of a priority, or -1. */
  int indexOf(Priority priority) {
    for (int i = 0; i < limits.size(); i++) {
      if (limits.get(i).priority() == priority) {
        return i;
      }
    }
    return -1;
  }

  /** The place of the limit of the highest priority. */
  int highest() {
    int out = 0;
    for (int i = 1; i < limits.size(); i++) {
      out = limits.get(i).priority().compareTo(limits.get(out).priority()) < 0 ? i : out;
    }
    return out;
  }

  /** Whether one of its limits asks what is expected. */
  public boolean isOfBand() {
    return limits.stream().anyMatch(l -> l.test() instanceof LimitTest.OutsideBand);
  }

  /** Whether one of its limits asks whether there is anything at all. */
  public boolean isOfAbsence() {
    return limits.stream().anyMatch(l -> l.test() instanceof LimitTest.Absent);
  }
}
