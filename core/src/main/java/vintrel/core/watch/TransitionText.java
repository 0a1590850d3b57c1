package vintrel.core.watch;

import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.core.watch.Transition.Change;

/** Why a series went from one state to another, in words. Pure; any thread. */
final class TransitionText {
  private final Rule rule;
  private final boolean silent;

  TransitionText(Rule rule) {
    this(rule, false);
  }

  private TransitionText(Rule rule, boolean silent) {
    this.rule = rule;
    this.silent = silent;
  }

  /** Says nothing, at no cost. */
  static TransitionText none(Rule rule) {
    return new TransitionText(rule, true);
  }

  /**
   * @param result NaN-free: a value, or what raised or cleared it in place of one
   * @param priority of the limit concerned, or null
   */
  String why(Change change, CheckResult result, Priority priority, SeriesState before, long at) {
    if (silent) {
      return "";
    }
    if (!(result instanceof CheckResult.Value v)) {
      return absence(change, result, priority, before, at);
    }
    var text = Units.format(v.value(), rule.unit());
    var words = words(priority);
    var band = band(priority);
    if (band != null && band.low(v) <= band.high(v)) {
      words +=
          ", %s to %s"
              .formatted(
                  Units.format(band.low(v), rule.unit()), Units.format(band.high(v), rule.unit()));
    }
    return switch (change) {
      case REGISTERED -> "first check: " + text;
      case BUILDING -> text + " is past the limit (" + words + "); waiting for the on-delay";
      case RAISED -> text + "; limit: " + words;
      case ESCALATED -> text + " is past a higher-priority limit (" + words + ")";
      case EASED -> text + " is back inside the higher-priority limit, but still " + words;
      case CLEARING -> text + " is back inside the limit; waiting for the off-delay";
      case RETURNED -> text + " passed the limit again before the off-delay ended";
      case CLEARED -> text + " is back inside the limit" + after(before, at);
      case SETTLED -> text + " was back inside the limit before the on-delay ended";
      default -> back(before) + text;
    };
  }

  private static String back(SeriesState before) {
    return before.state() == WatchState.FAULT ? "the query works again: " : "data is back: ";
  }

  private String absence(
      Change change, CheckResult result, Priority priority, SeriesState before, long at) {
    if (result instanceof CheckResult.Fault f) {
      return "the query failed: " + f.words();
    }
    long last = ((CheckResult.Missing) result).lastValueAt();
    long since = last != SeriesState.NEVER ? last : before.missingSince();
    var none =
        since == SeriesState.NEVER ? "no data" : "no data for " + Durations.words(at - since);
    return switch (change) {
      case BACK -> before.state() == WatchState.FAULT ? "the query works again; " + none : none;
      case BUILDING -> none + "; waiting for the on-delay (" + words(priority) + ")";
      default -> none;
    };
  }

  private LimitTest.OutsideBand band(Priority priority) {
    var limit = rule.limit(priority);
    return limit != null && limit.test() instanceof LimitTest.OutsideBand b ? b : null;
  }

  private static String after(SeriesState before, long at) {
    return before.isRaised()
        ? " after " + Durations.words(Math.max(0, at - before.raisedAt()))
        : "";
  }

  String words(Priority priority) {
    var limit = rule.limit(priority);
    return limit == null ? "" : limit.words(rule.unit());
  }
}
