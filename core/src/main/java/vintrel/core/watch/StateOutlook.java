package vintrel.core.watch;

import java.util.ArrayList;
import java.util.List;
import java.util.function.LongFunction;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.core.watch.SeriesState.LimitState;
import vintrel.core.watch.SeriesState.Phase;

/** What comes next for a series, and when, in words. Pure; any thread. */
public final class StateOutlook {
  private final Rule rule;
  private final SeriesState state;
  private final LongFunction<String> time;

  private StateOutlook(Rule rule, SeriesState state, LongFunction<String> time) {
    this.rule = rule;
    this.state = state;
    this.time = time;
  }

  /**
   * @param time writes an instant, ms
   * @return one or more sentences
   */
  public static String of(Rule rule, SeriesState state, LongFunction<String> time) {
    return String.join(" ", new StateOutlook(rule, state, time).sentences());
  }

  private List<String> sentences() {
    return switch (state.state()) {
      case WAITING -> List.of("Waiting for the first value.");
      case NORMAL -> limits("Raised", Priority.values().length);
      case BUILDING -> List.of(building());
      case RAISED, ACKNOWLEDGED -> raised();
      case CLEARING -> List.of(clearing());
      case NO_DATA ->
          List.of(
              "Continues with the next value; closed at %s if none arrives."
                  .formatted(time.apply(state.missingSince() + rule.closeAfter())));
      case FAULT ->
          List.of(
              "Retried every %s. Correct the query, or check whether its store is reachable."
                  .formatted(Durations.words(rule.every())));
    };
  }

  /** What the limits of higher priorities than one wait for. */
  private List<String> limits(String change, int below) {
    var out = new ArrayList<String>();
    for (var limit : rule.limits()) {
      if (limit.priority().ordinal() < below) {
        out.add(
            "%s (%s) when %s."
                .formatted(change, limit.priority().text(), limit.words(rule.unit())));
      }
    }
    return out;
  }

  private String building() {
    int i = phase(Phase.BUILDING);
    if (i < 0) {
      return "Raised once the on-delay is over.";
    }
    var limit = rule.limits().get(i);
    long due = state.limits().get(i).since() + limit.onDelay();
    return "Past its limit (%s); raised (%s) at %s unless it comes back before."
        .formatted(limit.test().words(rule.unit()), limit.priority().text(), time.apply(due));
  }

  private List<String> raised() {
    var out = new ArrayList<String>();
    int holding = state.priority() == null ? -1 : rule.indexOf(state.priority());
    if (state.byAbsence()) {
      out.add("Clears with the next value that is inside the limits.");
    } else if (holding >= 0) {
      var limit = rule.limits().get(holding);
      var back = back(limit.test());
      var delay = limit.offDelay() > 0 ? " for " + Durations.words(limit.offDelay()) : "";
      out.add("Clears " + back + delay + ".");
    }
    if (holding >= 0) {
      out.addAll(limits("Escalates", state.priority().ordinal()));
    }
    return out;
  }

  /** Where a limit counts as back. */
  private String back(LimitTest test) {
    return switch (test) {
      case LimitTest.Threshold t ->
          t.direction().isUp()
              ? "at or below " + text(t.value() - t.deadband())
              : "at or above " + text(t.value() + t.deadband());
      case LimitTest.Outside o ->
          "between %s and %s"
              .formatted(text(o.low() + o.deadband()), text(o.high() - o.deadband()));
      case LimitTest.OutsideBand b -> "inside the expected band";
      case LimitTest.Stale s -> "with the next value";
      case LimitTest.Absent a -> "with the first value";
    };
  }

  private String text(double value) {
    return Units.format(value, rule.unit());
  }

  private String clearing() {
    int i = phase(Phase.CLEARING);
    if (i < 0) {
      return "Cleared once the off-delay is over.";
    }
    long due = state.limits().get(i).since() + rule.limits().get(i).offDelay();
    return "Cleared at %s unless it passes the limit again.".formatted(time.apply(due));
  }

  /** The limit of the highest priority in a phase, or -1. */
  private int phase(Phase phase) {
    int out = -1;
    List<LimitState> limits = state.limits();
    for (int i = 0; i < limits.size(); i++) {
      boolean higher =
          out < 0
              || rule.limits().get(i).priority().compareTo(rule.limits().get(out).priority()) < 0;
      out = limits.get(i).phase() == phase && higher ? i : out;
    }
    return out;
  }
}
