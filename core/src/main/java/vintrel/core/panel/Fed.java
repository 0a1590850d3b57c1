package vintrel.core.panel;

import java.util.List;
import vintrel.core.chunk.Samples;
import vintrel.core.query.plan.SeriesSet;

/**
 * What a line gave for the settings that it feeds.
 *
 * @param value its last number; NaN: it gave none
 * @param unit of the number, or empty
 * @param time of that number, ms; 0 if the line has no times
 * @param course over the range, by bucket; null if the line has none
 * @param fault why it gives none, or empty
 */
public record Fed(String line, double value, String unit, long time, Samples course, String fault) {
  private static Fed none(String line, String unit, String why) {
    return new Fed(line, Double.NaN, unit, 0, null, why);
  }

  /**
   * The number of a line: of its only series the last value of a whole bucket, or the only number
   * of a table of one row.
   *
   * @param to end of the range, exclusive; values behind it don't count
   */
  public static Fed of(String line, SeriesSet set, long to) {
    return switch (set) {
      case SeriesSet.Table t -> ofTable(line, t);
      case SeriesSet.OfSeries s -> ofSeries(line, s, to);
    };
  }

  private static Fed ofTable(String line, SeriesSet.Table t) {
    var frame = t.frame();
    var numbers = frame.numbers();
    if (frame.rows() == 0) {
      return none(line, "", "the line returns no rows");
    }
    if (frame.rows() > 1 || numbers.size() != 1) {
      return none(line, "", "the line returns " + t.shape() + "; a setting needs one number");
    }
    double v = numbers.getFirst().values()[0];
    return Double.isNaN(v)
        ? none(line, "", "the line returns no number")
        : new Fed(line, v, numbers.getFirst().unit(), 0, null, "");
  }

  private static Fed ofSeries(String line, SeriesSet.OfSeries set, long to) {
    List<SeriesSet.Row> rows = set.rows();
    if (rows.isEmpty()) {
      return none(line, "", "the line returns no series");
    }
    if (rows.size() > 1) {
      return none(
          line,
          rows.getFirst().unit(),
          "the line returns %,d series; a setting needs one: add a step such as max or sum"
              .formatted(rows.size()));
    }
    var unit = rows.getFirst().unit();
    var s = set.samples(rows.getFirst());
    boolean course = !(set instanceof SeriesSet.Gridded g && g.scalar());
    int at = last(s, s.indexOf(to));
    // A bucket that the end of the range cuts holds less than the others.
    if (at >= 0
        && set instanceof SeriesSet.Gridded g
        && g.grid().end((int) g.grid().bucket(s.times()[at])) > to) {
      int whole = last(s, at);
      at = whole >= 0 ? whole : at;
    }
    if (at >= 0) {
      return new Fed(line, s.values()[at], unit, course ? s.times()[at] : 0, course ? s : null, "");
    }
    return none(line, unit, "the line returns no value in this range");
  }

  /** The last sample before an index that has a value, or -1. */
  private static int last(Samples s, int before) {
    int i = before - 1;
    while (i >= 0 && !Double.isFinite(s.values()[i])) {
      i--;
    }
    return i;
  }

  /** As a limit knows where it is from. */
  public Limit.From of(Feed feed) {
    return new Limit.From(line, feed.each() ? course : null);
  }
}
