package vintrel.server.ask;

import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.unit.Units;

/** A table as texts. */
public record TableView(List<Head> heads, List<List<String>> rows, int left) {
  private static final int MAX_ROWS = 200;
  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("d MMM HH:mm:ss.SSS", Locale.UK);

  /** A column's head; {@code number}: aligned to the right. */
  public record Head(String name, boolean number) {}

  /** A line's own table if one has one; else the latest value of each series. */
  public static TableView latest(List<Answer.LineAnswer> lines, String unit, ZoneId zone) {
    var own = lines.stream().filter(l -> l.set() instanceof SeriesSet.Table).findFirst();
    return of(own.isPresent() ? Frames.of(own.get()) : Frames.latest(lines), unit, zone, MAX_ROWS);
  }

  /** The first rows; {@code left} is how many more there are. */
  public static TableView of(Frame frame, String unit, ZoneId zone, int max) {
    var heads = new ArrayList<Head>();
    for (var c : frame.columns()) {
      heads.add(new Head(c.name(), c instanceof Column.Number));
    }
    var rows = new ArrayList<List<String>>();
    for (int i = 0; i < Math.min(max, frame.rows()); i++) {
      var row = new ArrayList<String>();
      for (var c : frame.columns()) {
        row.add(
            switch (c) {
              case Column.Text t -> t.values()[i];
              case Column.Number n -> Units.format(n.values()[i], unit.isEmpty() ? n.unit() : unit);
              case Column.Time t -> time(t.values()[i], zone);
            });
      }
      rows.add(row);
    }
    return new TableView(heads, rows, Math.max(0, frame.rows() - max));
  }

  /** To the millisecond if it is not on a second. */
  static String time(long ms, ZoneId zone) {
    if (ms == Long.MIN_VALUE) {
      return "";
    }
    var text = TIME.format(Instant.ofEpochMilli(ms).atZone(zone));
    return text.endsWith(".000") ? text.substring(0, text.length() - 4) : text;
  }
}
