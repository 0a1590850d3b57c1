package vintrel.core.panel;

import vintrel.core.frame.Column;
import vintrel.core.panel.TimeChart.StyleRule;
import vintrel.core.picture.Picture;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Labels;
import vintrel.core.unit.Globs;

/** Which series a style rule is for. */
final class StyleMatch {
  private StyleMatch() {}

  static boolean catches(StyleRule rule, Picture.Trace trace, Asked asked) {
    if (!rule.line().isEmpty() && !rule.line().equals(trace.line())) {
      return false;
    }
    if (!rule.series().isEmpty() && !Globs.fits(rule.series(), trace.name())) {
      return false;
    }
    if (rule.above() != null && !(trace.readout().last() > rule.above())) {
      return false;
    }
    return rule.where().isEmpty() || fulfils(rule.where(), labels(trace, asked));
  }

  /** What is wrong with a rule's condition, or null. */
  static String fault(StyleRule rule) {
    try {
      return rule.where().isEmpty() || Parser.parseCondition(rule.where()) != null
          ? null
          : "is not a condition";
    } catch (QueryException e) {
      return "column " + e.column() + ": " + e.getMessage();
    }
  }

  private static boolean fulfils(String condition, Labels labels) {
    return labels != null && Parser.parseCondition(condition).test(labels);
  }

  /** The labels of a trace, or null if its column is not found. */
  private static Labels labels(Picture.Trace trace, Asked asked) {
    for (var frame : asked.frames()) {
      for (Column.Number n : frame.numbers()) {
        if (n.values() == trace.values()) {
          return n.labels();
        }
      }
    }
    return null;
  }
}
