package vintrel.core.tell;

import vintrel.core.series.Condition;
import vintrel.core.series.Labels;

/** Says in words which labels do not meet a condition. */
final class Mismatch {
  private Mismatch() {}

  static String words(Condition condition, Labels labels) {
    var test = firstFailing(condition, labels);
    if (test == null) {
      return "its condition is not met";
    }
    var value = labels.get(test.label());
    return value == null ? "no label " + test.label() : test.label() + " is " + value;
  }

  private static Condition.Test firstFailing(Condition condition, Labels labels) {
    return switch (condition) {
      case Condition.Test t -> t.test(labels) ? null : t;
      case Condition.And and -> {
        for (var part : and.parts()) {
          if (!part.test(labels)) {
            yield firstFailing(part, labels);
          }
        }
        yield null;
      }
      case Condition.Or or ->
          or.parts().isEmpty() ? null : firstFailing(or.parts().getFirst(), labels);
      case Condition.Not not -> onlyTest(not.part());
    };
  }

  /** What fulfils a condition that should not be: its only test. */
  private static Condition.Test onlyTest(Condition condition) {
    return condition instanceof Condition.Test t ? t : null;
  }
}
