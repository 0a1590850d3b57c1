package vintrel.core.query;

import java.util.Arrays;
import java.util.Collection;
import java.util.List;

/** Every step once: what completion offers, what errors suggest, what the reference page shows. */
public final class Vocabulary {
  private Vocabulary() {}

  /**
   * @param word the word that begins the step
   * @param form how it is written; brackets hold what may be left out
   * @param does one sentence
   */
  public record Entry(String word, String group, String form, String does) {}

  public static final List<Entry> STEPS =
      List.of(
          reducer("mean", "the average"),
          reducer("min", "the smallest value"),
          reducer("max", "the largest value"),
          reducer("sum", "the total"),
          reducer("count", "how many values there are"),
          reducer("first", "the earliest value"),
          reducer("last", "the latest value"),
          reducer("median", "the middle value"),
          reducer("stddev", "the standard deviation"),
          reducer("spread", "the distance of the largest from the smallest"),
          reducer("p95", "a percentile; any from p0 to p100"),
          new Entry(
              "rate",
              "over time",
              "rate [per second|minute|hour|day] [every 5m]",
              "How fast a counter grows; resets are survived."),
          new Entry(
              "increase",
              "over time",
              "increase [every 1h]",
              "How much a counter grew in each bucket."),
          new Entry(
              "top", "across series", "top 5 [by max]", "The series with the largest values."),
          new Entry(
              "bottom",
              "across series",
              "bottom 5 [by min]",
              "The series with the smallest values."),
          new Entry("share", "across series", "share", "Each series' percentage of the total."),
          new Entry(
              "quantile",
              "across series",
              "quantile 0.95 [by label]",
              "A quantile of a histogram, from its buckets' rates."),
          value("abs", "abs", "The value without its sign."),
          value("round", "round", "The nearest whole number."),
          value("floor", "floor", "The next whole number below."),
          value("ceil", "ceil", "The next whole number above."),
          value("ln", "ln", "The natural logarithm."),
          value("log10", "log10", "The decimal logarithm."),
          value("exp", "exp", "e to the power of the value."),
          value("sqrt", "sqrt", "The square root."),
          value("times", "times 8", "The value multiplied by a number."),
          value("clamp", "clamp 0 to 100", "The value kept within two bounds."),
          value("keep", "keep when > 80", "Values that do not compare so become missing."),
          value("fill", "fill with 0|previous|linear", "Missing buckets filled in."),
          new Entry("shift", "time", "shift 1w", "The same, so long before."),
          new Entry("label", "naming", "label as '{gate} refused'", "A name for each series."),
          new Entry("unit", "naming", "unit 'By/s'", "The unit, as a UCUM code."));

  private static Entry reducer(String word, String does) {
    return new Entry(
        word,
        "over time or across series",
        word + " every 5m | over 5m | by label | without label | (all into one)",
        "Takes " + does + ".");
  }

  private static Entry value(String word, String form, String does) {
    return new Entry(word, "value", form, does);
  }

  /** The known word nearest to a mistyped one, or null where none is near. */
  public static String nearest(String word, Collection<String> known) {
    String best = null;
    int least = Math.max(2, word.length() / 3) + 1;
    for (var k : known) {
      if (Math.abs(k.length() - word.length()) < least) {
        int d = distance(word, k);
        if (d < least) {
          least = d;
          best = k;
        }
      }
    }
    return best;
  }

  /** Insertions, deletions, replacements and swaps of neighbours (optimal string alignment). */
  static int distance(String a, String b) {
    int[] older = new int[b.length() + 1];
    int[] old = new int[b.length() + 1];
    int[] now = new int[b.length() + 1];
    Arrays.setAll(old, i -> i);
    for (int i = 1; i <= a.length(); i++) {
      now[0] = i;
      for (int j = 1; j <= b.length(); j++) {
        int change = a.charAt(i - 1) == b.charAt(j - 1) ? 0 : 1;
        now[j] = Math.min(Math.min(now[j - 1], old[j]) + 1, old[j - 1] + change);
        if (i > 1
            && j > 1
            && a.charAt(i - 1) == b.charAt(j - 2)
            && a.charAt(i - 2) == b.charAt(j - 1)) {
          now[j] = Math.min(now[j], older[j - 2] + 1);
        }
      }
      int[] spare = older;
      older = old;
      old = now;
      now = spare;
    }
    return old[b.length()];
  }
}
