package vintrel.server.watch;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.query.plan.Traits;
import vintrel.core.query.syntax.Parser;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.core.watch.CheckResult;
import vintrel.core.watch.LimitTest;
import vintrel.core.watch.LimitTest.Verdict;
import vintrel.core.watch.Rule;

/** What is doubtful about a rule, though it is valid, in the light of what its checks found. */
final class RuleAdvice {
  private RuleAdvice() {}

  /**
   * @param place of the field that it is about, or empty
   */
  record Advice(String place, String text) {}

  /**
   * @param found what the checks found; series are none if it is empty
   * @param most series that a rule may watch
   */
  static List<Advice> of(Rule rule, Rehearsals.Rehearsed r, FoundChecks.Found found, int most) {
    var out = new ArrayList<Advice>();
    if (r.result().series().isEmpty()) {
      out.add(new Advice("query", "Matches no series in this range. Nothing is watched yet."));
      return out;
    }
    if (r.cut()) {
      out.add(
          new Advice(
              "query",
              "Matches more than %,d series; only the first %,d are watched. Add a condition, or a step such as `max by`."
                  .formatted(most, most)));
    }
    var own = Units.canonical(rule.unit());
    if (!rule.unit().isEmpty()
        && !found.unit().isEmpty()
        && !own.equals(Units.canonical(found.unit()))) {
      out.add(
          new Advice(
              "unit",
              "The query gives %s, the limits are read as %s."
                  .formatted(found.unit(), rule.unit())));
    }
    window(rule, out);
    for (int i = 0; i < rule.limits().size(); i++) {
      var text = ofLimit(rule, rule.limits().get(i).test(), r.ends());
      if (!text.isEmpty()) {
        out.add(new Advice("limits[" + i + "]", text));
      }
    }
    return out;
  }

  private static void window(Rule rule, List<Advice> out) {
    long width = Traits.longestWidth(Parser.parse(rule.query()));
    if (width > 0 && width < 2 * rule.every()) {
      out.add(
          new Advice(
              "query",
              "A window of %s holds less than two checks of %s; values between checks are missed."
                  .formatted(Durations.words(width), Durations.words(rule.every()))));
    }
  }

  private static String ofLimit(Rule rule, LimitTest test, double[] ends) {
    if (test.isOfAbsence() || test instanceof LimitTest.OutsideBand || Double.isNaN(ends[0])) {
      return "";
    }
    var low = test.of(new CheckResult.Value(ends[0]), 0);
    var high = test.of(new CheckResult.Value(ends[1]), 0);
    boolean none = low != Verdict.PASSED && high != Verdict.PASSED;
    // Both ends on the same side: all between them, too.
    boolean all =
        low == Verdict.PASSED && high == Verdict.PASSED && !(test instanceof LimitTest.Outside);
    var range =
        "%s to %s"
            .formatted(Units.format(ends[0], rule.unit()), Units.format(ends[1], rule.unit()));
    return none
        ? "Never reached in this range; values were " + range + "."
        : all ? "Always passed in this range; values were " + range + "." : "";
  }
}
