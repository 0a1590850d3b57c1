package vintrel.core.watch;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import vintrel.core.series.Labels;

/**
 * What a rule would have done: the same state machine, fed with what checks would have found. Days
 * are fed one after another, the states go on. One thread.
 */
public final class Rehearsal {
  /** An alert that is raised so soon after the last one of its series was cleared is a flap, ms. */
  public static final long FLAP = 600_000;

  /** Transitions and spans that are kept of all series together; counts are of all. */
  public static final int MOST_KEPT = 100_000;

  private static final int MOST_DELAYS = 1_000;

  private final Rule rule;
  private final StateMachine machine;
  private final long from;
  private final long to;
  private final int mostKept;
  private final boolean ofBand;
  private final Expectations expectations;

  /** Between these, both included, a quiet series stays as it is. */
  private final double calmFrom;

  private final double calmTo;
  private int kept;
  private static final int PRIORITIES = Priority.values().length;

  private final Map<Labels, Run> runs = new TreeMap<>();
  private Result result;
  private long begin = SeriesState.NEVER;
  private long end;

  /**
   * @param from where strips of states begin, ms
   * @param to where they end, exclusive
   * @param expectations asked if the rule has a limit of a band
   */
  public Rehearsal(Rule rule, long from, long to, Expectations expectations) {
    this(rule, from, to, MOST_KEPT, new StateMachine(rule), expectations);
  }

  /** As above, of a rule that asks for no band. */
  public Rehearsal(Rule rule, long from, long to) {
    this(rule, from, to, Expectations.NONE);
  }

  private Rehearsal(
      Rule rule,
      long from,
      long to,
      int mostKept,
      StateMachine machine,
      Expectations expectations) {
    this.ofBand = rule.isOfBand();
    this.calmFrom = rule.limits().stream().mapToDouble(Limit::calmFrom).max().getAsDouble();
    this.calmTo = rule.limits().stream().mapToDouble(Limit::calmTo).min().getAsDouble();
    this.expectations = expectations;
    this.from = from;
    this.to = to;
    this.rule = rule;
    this.mostKept = mostKept;
    this.machine = machine;
  }

  /** One that counts alerts, and keeps neither transitions, spans nor strips. */
  static Rehearsal counting(Rule rule, long from, long to, Expectations expectations) {
    return new Rehearsal(rule, from, to, 0, StateMachine.wordless(rule), expectations);
  }

  /**
   * A stretch of time in one state.
   *
   * @param to exclusive
   * @param priority of the limit that decides the state, or null
   */
  public record Span(long from, long to, WatchState state, Priority priority) {}

  /** How many transitions of a kind there were; the priority may be null. */
  public record Count(Transition.Change change, Priority priority, int times) {}

  /**
   * @param transitions the first ones
   * @param strip its states over the whole range
   * @param counts of all transitions
   * @param raised alerts, with one that was active at the beginning
   * @param millis in which an alert was active
   * @param longest of them, ms
   * @param flaps alerts that were raised within {@link #FLAP} after the last one was cleared
   * @param delays how long each alert took from the first check past its limit, ms, the first ones
   * @param unraised the longest stretch past a limit that ended before its on-delay did, ms
   * @param now its state after the last check
   * @param latest value with what was expected, or null if there is none
   */
  public record OfSeries(
      Labels labels,
      List<Transition> transitions,
      List<Span> spans,
      StateStrip strip,
      List<Count> counts,
      int raised,
      long millis,
      long longest,
      int flaps,
      List<Long> delays,
      long unraised,
      SeriesState now,
      CheckResult.Value latest) {
    /** The latest value, NaN if there is none. */
    public double value() {
      return latest == null ? Double.NaN : latest.value();
    }
  }

  /**
   * @param from the first check, ms
   * @param to after the last one
   * @param series by their labels
   */
  public record Result(long from, long to, List<OfSeries> series) {
    public int raised() {
      return series.stream().mapToInt(OfSeries::raised).sum();
    }

    public long millis() {
      return series.stream().mapToLong(OfSeries::millis).sum();
    }

    public long longest() {
      return series.stream().mapToLong(OfSeries::longest).max().orElse(0);
    }

    public int flaps() {
      return series.stream().mapToInt(OfSeries::flaps).sum();
    }
  }

  /** One series on its way. */
  private final class Run {
    final Labels labels;
    final List<Transition> transitions = new ArrayList<>();
    final List<Span> spans = new ArrayList<>();
    final StateStrip strip = mostKept == 0 ? null : new StateStrip(from, to);
    final int[][] counts =
        mostKept == 0 ? null : new int[Transition.Change.values().length][PRIORITIES + 1];
    SeriesState state;

    /** It sent nothing for so long that it is watched again only with its next value. */
    boolean closed;

    /** Whether nothing is under way in it. */
    boolean quiet;

    double value = Double.NaN;
    long valueAt = SeriesState.NEVER;
    long spanFrom;
    long raisedFrom = SeriesState.NEVER;
    long clearedAt = SeriesState.NEVER;
    long buildingFrom = SeriesState.NEVER;
    final List<Long> delays = new ArrayList<>();
    long unraised;
    int raised;
    int flaps;
    long millis;
    long longest;

    Run(Labels labels, SeriesState state, long at) {
      this.labels = labels;
      this.state = state;
      this.spanFrom = at;
    }

    void become(SeriesState after, long at) {
      if (after.state() != state.state() || after.priority() != state.priority()) {
        span(at);
        spanFrom = at;
      }
      if (after.isRaised() && raisedFrom == SeriesState.NEVER) {
        raisedFrom = at;
        raised++;
        if (delays.size() < MOST_DELAYS) {
          delays.add(buildingFrom == SeriesState.NEVER ? 0 : at - buildingFrom);
        }
        flaps += clearedAt != SeriesState.NEVER && at - clearedAt < FLAP ? 1 : 0;
      } else if (!after.isRaised() && raisedFrom != SeriesState.NEVER) {
        lasted(at);
        clearedAt = at;
        raisedFrom = SeriesState.NEVER;
      }
      boolean builds = after.state() == WatchState.BUILDING;
      if (builds && buildingFrom == SeriesState.NEVER) {
        buildingFrom = at;
      } else if (!builds && buildingFrom != SeriesState.NEVER) {
        unraised = after.isRaised() ? unraised : Math.max(unraised, at - buildingFrom);
        buildingFrom = SeriesState.NEVER;
      }
      state = after;
    }

    private void lasted(long until) {
      millis += until - raisedFrom;
      longest = Math.max(longest, until - raisedFrom);
    }

    private void span(long until) {
      if (until > spanFrom && strip != null) {
        var span = new Span(spanFrom, until, state.state(), state.priority());
        strip.add(span);
        if (kept++ < mostKept) {
          spans.add(span);
        }
      }
    }

    void told(Transition t) {
      if (counts == null) {
        return;
      }
      int priority = t.priority() == null ? PRIORITIES : t.priority().ordinal();
      counts[t.change().ordinal()][priority]++;
      if (kept++ < mostKept) {
        transitions.add(t);
      }
    }

    private List<Count> counted() {
      var out = new ArrayList<Count>();
      if (counts == null) {
        return out;
      }
      for (var change : Transition.Change.values()) {
        for (int p = 0; p <= PRIORITIES; p++) {
          int times = counts[change.ordinal()][p];
          if (times > 0) {
            out.add(new Count(change, p == PRIORITIES ? null : Priority.values()[p], times));
          }
        }
      }
      return out;
    }

    OfSeries result(long until) {
      span(until);
      if (raisedFrom != SeriesState.NEVER) {
        lasted(until);
      }
      return new OfSeries(
          labels,
          transitions,
          spans,
          strip,
          counted(),
          raised,
          millis,
          longest,
          flaps,
          List.copyOf(delays),
          unraised,
          state,
          Double.isNaN(value) ? null : value(labels, valueAt, value));
    }
  }

  /**
   * The next checks, at {@code first + i·step}, all after those before.
   *
   * @param values by the labels of a series, one for each check; NaN for none
   */
  public void feed(long first, long step, int count, Map<Labels, double[]> values) {
    if (count == 0) {
      return;
    }
    begin(first, step, count);
    var all = new TreeMap<Labels, double[]>(values);
    double[] none = null;
    for (var labels : runs.keySet()) {
      if (!values.containsKey(labels)) {
        none = none == null ? CheckHistory.none(count) : none;
        all.put(labels, none);
      }
    }
    int absent = absentUntil(values, count);
    if (absent > 0) {
      none = none == null ? CheckHistory.none(count) : none;
      feed(Labels.NONE, first, step, 0, absent, none, true);
      boolean own =
          values.containsKey(Labels.NONE) && !Double.isNaN(values.get(Labels.NONE)[absent]);
      if (absent < count && !own) {
        var run = runs.get(Labels.NONE);
        closed(run, machine.arrived(run.state, first + absent * step), first + absent * step);
      }
    }
    all.forEach(
        (labels, found) -> {
          int from = labels.isEmpty() ? absent : 0;
          feed(labels, first, step, from, count, found, false);
        });
  }

  void begin(long first, long step, int count) {
    begin = begin == SeriesState.NEVER ? first : begin;
    end = first + count * step;
  }

  /** Whether it must see the checks of all series side by side. */
  boolean needsAll() {
    return rule.isOfAbsence();
  }

  /** A block of checks of one series; its values are read only if they can matter. */
  void feed(Labels labels, long first, long step, CheckHistory.Values values, int block) {
    var ends = values.blocks[block];
    var run = runs.get(labels);
    boolean unknown = run == null || run.closed;
    if (unknown && ends.isEmpty()) {
      return;
    }
    if (!unknown && ends.whole() && machine.staysQuiet(run.state, ends.least(), ends.greatest())) {
      run.value = ends.last();
      run.valueAt = first + ends.lastAt() * step;
      return;
    }
    feed(labels, first, step, 0, ends.count(), values.of(block), false);
  }

  /** The series that have no value in a piece. */
  void feedOthers(long first, long step, int count, Set<Labels> present) {
    double[] none = null;
    for (var run : runs.values()) {
      if (!run.closed && !present.contains(run.labels)) {
        none = none == null ? CheckHistory.none(count) : none;
        feed(run.labels, first, step, 0, count, none, false);
      }
    }
  }

  /**
   * How many checks find nothing at all where a rule asks whether there is anything: the rule
   * itself is watched then, without labels.
   */
  private int absentUntil(Map<Labels, double[]> values, int count) {
    boolean waits =
        rule.isOfAbsence()
            && runs.values().stream()
                .allMatch(r -> r.closed || r.labels.isEmpty() && r.valueAt == SeriesState.NEVER);
    for (int i = 0; i < count && waits; i++) {
      for (var found : values.values()) {
        if (!Double.isNaN(found[i])) {
          return i;
        }
      }
    }
    return waits ? count : 0;
  }

  private static void closed(Run run, StateMachine.Outcome outcome, long at) {
    outcome.transitions().forEach(run::told);
    run.become(outcome.state(), at);
    run.closed = true;
    run.quiet = false;
  }

  /**
   * @param absence whether a series that never had a value is watched, too
   */
  private void feed(
      Labels labels, long first, long step, int from, int count, double[] values, boolean absence) {
    var run = runs.get(labels);
    var told = new ArrayList<Transition>(2);
    for (int i = from; i < count; i++) {
      double v = values[i];
      long at = first + i * step;
      if (run != null && run.quiet && v >= calmFrom && v <= calmTo) {
        run.value = v;
        run.valueAt = at;
        continue;
      }
      boolean missing = Double.isNaN(v);
      if (run == null) {
        if (missing && !absence) {
          continue;
        }
        run = new Run(labels, SeriesState.initial(at, rule.limits().size()), at);
        runs.put(labels, run);
      }
      if (missing && run.closed && !absence) {
        continue;
      }
      var result = missing ? new CheckResult.Missing(run.valueAt) : value(labels, at, v);
      var before = run.state;
      var after = machine.check(before, result, at, told);
      run.closed = false;
      if (!missing) {
        run.value = v;
        run.valueAt = at;
      }
      if (machine.isStale(after, at)) {
        told.clear();
        var closing = machine.close(before, run.valueAt, at);
        told.addAll(closing.transitions());
        after = closing.state();
        run.closed = true;
      }
      if (after != before) {
        run.become(after, at);
      }
      run.quiet = !run.closed && StateMachine.isQuiet(after);
      if (!told.isEmpty()) {
        told.forEach(run::told);
        told.clear();
      }
    }
  }

  private CheckResult.Value value(Labels labels, long at, double v) {
    return ofBand ? expectations.with(labels, at, v) : new CheckResult.Value(v);
  }

  /** What became of each series until the end of the last checks; nothing is fed after it. */
  public Result result() {
    if (result == null) {
      var out = new ArrayList<OfSeries>();
      runs.values().forEach(r -> out.add(r.result(end)));
      result = new Result(begin == SeriesState.NEVER ? end : begin, end, List.copyOf(out));
    }
    return result;
  }
}
