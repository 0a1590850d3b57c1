package vintrel.core.query;

import java.util.Arrays;
import java.util.Collection;
import java.util.List;
import java.util.Map;

/** Every step once: what completion offers, what errors suggest, what the reference page shows. */
public final class Vocabulary {
  private Vocabulary() {}

  /**
   * @param word the word that begins the step
   * @param form how it is written; brackets hold what may be left out
   * @param in what goes in: series, samples, counters, a table, …
   * @param out what comes out
   * @param does one sentence
   * @param example a step as it may stand
   */
  public record Entry(
      String word, String group, String form, String in, String out, String does, String example) {}

  private static final String OVER_TIME = "over time";
  private static final String ACROSS = "across series";
  private static final String VALUE = "value";
  private static final String TIME = "time";
  private static final String MODEL = "model";
  private static final String TABLE = "table";
  private static final String SERIES = "series";

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
          over(
              "rate",
              "rate [per second|minute|hour|day] [every 5m]",
              "counters",
              "How fast a counter grows; resets are survived.",
              "rate per minute"),
          over(
              "increase",
              "increase [every 1h]",
              "counters",
              "How much a counter grew in each bucket.",
              "increase every 1h"),
          over(
              "change",
              "change [every 5m|over 5m]",
              SERIES,
              "How far a value moved: its end less what stood at the start.",
              "change every 10m"),
          over(
              "slope",
              "slope [per second|minute|hour|day] [every 5m|over 5m]",
              SERIES,
              "How steep the best straight line through the samples is.",
              "slope per hour over 30m"),
          across("top", "top 5 [by max]", "The series with the largest values.", "top 3"),
          across("bottom", "bottom 5 [by min]", "The series with the smallest values.", "bottom 3"),
          across("share", "share", "Each series' percentage of the total.", "share"),
          new Entry(
              "quantile",
              ACROSS,
              "quantile 0.95 [by label]",
              "rates of a histogram's buckets",
              "one series for each group",
              "A quantile of a histogram.",
              "quantile 0.95"),
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
          value("gap", "gap after 5m", "A value holds until the next, but no longer than this."),
          value("cumulate", "cumulate", "The running total."),
          value("smooth", "smooth over 10m", "A centred mean; near values weigh more."),
          new Entry(
              "shift", TIME, "shift 1w", SERIES, SERIES, "The same, so long before.", "shift 1d"),
          new Entry(
              "age", TIME, "age", SERIES, "seconds", "How long ago the newest sample was.", "age"),
          new Entry(
              "since",
              TIME,
              "since",
              "times since 1970, in s or ms",
              "seconds",
              "How long ago the time was that a value stands for.",
              "since"),
          model(
              "band",
              "band 3 [seasonal 1d]",
              "expected, lower and upper for each series",
              "What is usual by the values before, robustly; the number says how wide.",
              "band 3"),
          model(
              "forecast",
              "forecast 4h",
              "the same series after the range's end",
              "Where the trend leads, with the span that most values keep.",
              "forecast 1h"),
          model(
              "outliers",
              "outliers [3.5]",
              "those series that stand out, where they do",
              "What stands out from the other series at the time, or of few from its own past.",
              "outliers"),
          table("rows", "rows", "One long table: time, labels, value.", "rows"),
          table("columns", "columns", "A column of times, and one for each series.", "columns"),
          table(
              "group",
              "group by a, b: sum value, max value",
              "One row for each combination.",
              null),
          table("sort", "sort by value [descending]", "Rows in order.", "sort by value descending"),
          table("limit", "limit 15", "The first rows.", "limit 5"),
          table(
              "where",
              "where value > 5 and gate like 'n%'",
              "The rows for which it holds.",
              "where value > 5"),
          table("rename", "rename a to b", "A column by another name.", "rename value to reading"),
          table("keep", "keep a, b", "These columns alone.", "keep time, value"),
          table("drop", "drop c", "All columns but these.", "drop time"),
          table(
              "compute",
              "compute c = a / b * 100",
              "A column from others.",
              "compute tenth = value / 10"),
          table(
              "join",
              "join other on time [inner|left|outer]",
              "Another line's table beside this one.",
              null),
          table("bins", "bins 20", "A histogram: how many values lie where.", "bins 10"),
          table("cells", "cells 24 by 30", "A heatmap: counts by time and value.", "cells 6 by 5"),
          new Entry(
              "unpack",
              TABLE,
              "unpack field.path [as x]",
              "events",
              "a table",
              "A field of the records as a column.",
              null),
          naming("label", "label as '{gate} refused'", "A name for each series.", "label as 'all'"),
          naming("unit", "unit 'By/s'", "The unit, as a UCUM code.", "unit '1'"));

  private static Entry reducer(String word, String does) {
    return new Entry(
        word,
        "over time or across series",
        word + " every 5m | over 5m | by label | without label | (all into one)",
        SERIES,
        "series on a grid, or one for each group",
        "Takes " + does + ".",
        word + " every 5m");
  }

  private static Entry over(String word, String form, String in, String does, String example) {
    return new Entry(word, OVER_TIME, form, in, "series on a grid", does, example);
  }

  private static Entry across(String word, String form, String does, String example) {
    return new Entry(word, ACROSS, form, SERIES, "fewer series, or the same", does, example);
  }

  private static Entry value(String word, String form, String does) {
    var example = form.replaceAll("\\|.*", "");
    return new Entry(word, VALUE, form, SERIES, SERIES, does, example);
  }

  private static Entry model(String word, String form, String out, String does, String example) {
    return new Entry(word, MODEL, form, SERIES, out, does, example);
  }

  private static Entry table(String word, String form, String does, String example) {
    return new Entry(word, TABLE, form, "a table, or series", "a table", does, example);
  }

  private static Entry naming(String word, String form, String does, String example) {
    return new Entry(word, "naming", form, SERIES, SERIES, does, example);
  }

  /** What people may call a step. */
  static final Map<String, String> SYNONYMS =
      Map.of(
          "avg", "mean",
          "average", "mean",
          "minimum", "min",
          "maximum", "max",
          "total", "sum",
          "std", "stddev",
          "stdev", "stddev",
          "diff", "change",
          "range", "spread");

  /** The known word nearest to a mistyped one, or null where none is near. */
  public static String nearest(String word, Collection<String> known) {
    String best = null;
    int min = Math.max(2, word.length() / 3) + 1;
    for (var k : known) {
      if (Math.abs(k.length() - word.length()) < min) {
        int d = distance(word, k);
        if (d < min) {
          min = d;
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
