package vintrel.core.query.syntax;

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
   * @param example an example of the step
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
          reducer("count", "the number of values"),
          reducer("first", "the earliest value"),
          reducer("last", "the latest value"),
          reducer("median", "the median"),
          reducer("stddev", "the standard deviation"),
          reducer("spread", "the largest value minus the smallest"),
          reducer("p95", "a percentile, p0 to p100"),
          over(
              "rate",
              "rate [per second|minute|hour|day] [every 5m]",
              "counters",
              "Computes how fast a counter grows; handles counter resets.",
              "rate per minute"),
          over(
              "increase",
              "increase [every 1h]",
              "counters",
              "Computes how much a counter grew in each bucket.",
              "increase every 1h"),
          over(
              "change",
              "change [every 5m|over 5m]",
              SERIES,
              "Computes the last value minus the value at the start of each bucket or window.",
              "change every 10m"),
          over(
              "slope",
              "slope [per second|minute|hour|day] [every 5m|over 5m]",
              SERIES,
              "Computes the slope of the best-fitting straight line.",
              "slope per hour over 30m"),
          across("top", "top 5 [by max]", "Keeps the series with the largest values.", "top 3"),
          across("bottom", "bottom 5 [by min]", "The series with the smallest values.", "bottom 3"),
          across("share", "share", "Converts each series to a percentage of the total.", "share"),
          new Entry(
              "quantile",
              ACROSS,
              "quantile 0.95 [by label]",
              "rates of histogram buckets",
              "one series for each group",
              "Estimates a quantile from histogram buckets.",
              "quantile 0.95"),
          value("abs", "abs", "Takes the absolute value."),
          value("round", "round", "Rounds to the nearest whole number."),
          value("floor", "floor", "Rounds down to a whole number."),
          value("ceil", "ceil", "Rounds up to a whole number."),
          value("ln", "ln", "The natural logarithm."),
          value("log10", "log10", "The decimal logarithm."),
          value("exp", "exp", "e to the power of the value."),
          value("sqrt", "sqrt", "The square root."),
          value("times", "times 8", "Multiplies by a number."),
          value(
              "clamp",
              "clamp 0 to 100",
              "Moves values outside the two bounds to the nearer bound."),
          value(
              "keep",
              "keep when > 80",
              "Keeps values that meet the comparison; the others become missing."),
          value(
              "fill",
              "fill with 0|previous|linear",
              "Fills missing buckets with a number, the previous value or a straight line."),
          value(
              "gap",
              "gap after 5m",
              "Repeats the last value until the next one, for this long at most."),
          value("cumulate", "cumulate", "Computes the running total."),
          value(
              "smooth",
              "smooth over 10m",
              "Smooths with a centred mean; nearer values count more."),
          new Entry(
              "shift",
              TIME,
              "shift 1w",
              SERIES,
              SERIES,
              "Shows the series as it was this long ago.",
              "shift 1d"),
          new Entry(
              "age",
              TIME,
              "age",
              SERIES,
              "seconds",
              "Computes the time since the latest sample.",
              "age"),
          new Entry(
              "since",
              TIME,
              "since",
              "timestamps (s or ms since 1970)",
              "seconds",
              "Converts a timestamp to the time elapsed since then.",
              "since"),
          model(
              "band",
              "band 3 [seasonal 1d]",
              "expected, lower and upper for each series",
              "Computes the expected value and range from past values. The number sets the width in"
                  + " standard deviations.",
              "band 3"),
          model(
              "forecast",
              "forecast 4h",
              "the same series after the range's end",
              "Extends the trend past the end of the range, with the band that contained 80 % of"
                  + " past values.",
              "forecast 1h"),
          model(
              "outliers",
              "outliers [3.5]",
              "only the unusual values",
              "Keeps values far from the other series at the same time; with fewer than four"
                  + " series, far from neighbouring values of the same series.",
              "outliers"),
          table("rows", "rows", "Makes one long table: time, labels, value.", "rows"),
          table(
              "columns",
              "columns",
              "Makes a table with a time column and one column per series.",
              "columns"),
          table(
              "group",
              "group by a, b: sum value, max value",
              "Makes one row per combination of the given columns.",
              null),
          table(
              "sort", "sort by value [descending]", "Sorts the rows.", "sort by value descending"),
          table("limit", "limit 15", "Keeps the first rows.", "limit 5"),
          table(
              "where",
              "where value > 5 and gate like 'n%'",
              "Keeps the rows that meet the condition.",
              "where value > 5"),
          table("rename", "rename a to b", "Renames a column.", "rename value to reading"),
          table("keep", "keep a, b", "Keeps only these columns.", "keep time, value"),
          table("drop", "drop c", "Removes these columns.", "drop time"),
          table(
              "compute",
              "compute c = a / b * 100",
              "Adds a column computed from other columns.",
              "compute tenth = value / 10"),
          table(
              "join",
              "join other on time [inner|left|outer]",
              "Joins the table of another line.",
              null),
          table(
              "bins", "bins 20", "Makes a histogram: the number of values in each bin.", "bins 10"),
          table(
              "cells",
              "cells 24 by 30",
              "Makes a heatmap: the number of values per time span and bin.",
              "cells 6 by 5"),
          new Entry(
              "unpack",
              TABLE,
              "unpack field.path [as x]",
              "events",
              "a table",
              "Extracts an event field into a column.",
              null),
          naming("label", "label as '{gate} refused'", "Names each series.", "label as 'all'"),
          naming("unit", "unit 'By/s'", "Sets the unit (a UCUM code).", "unit '1'"));

  private static Entry reducer(String word, String does) {
    return new Entry(
        word,
        "over time or across series",
        word + " every 5m | over 5m | by label | without label | (all into one)",
        SERIES,
        "series in buckets, or one series per group",
        "Takes " + does + ".",
        word + " every 5m");
  }

  private static Entry over(String word, String form, String in, String does, String example) {
    return new Entry(word, OVER_TIME, form, in, "series in buckets", does, example);
  }

  private static Entry across(String word, String form, String does, String example) {
    return new Entry(word, ACROSS, form, SERIES, "series", does, example);
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

  /** The known word nearest to a mistyped one, or null if none is near. */
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
  public static int distance(String a, String b) {
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
