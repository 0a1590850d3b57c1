package vintrel.server.ask;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/** Statistics of each series, over the range that is shown. */
final class Statistics {
  private static final List<String> WORDS =
      List.of("last", "min", "max", "mean", "median", "p95", "p99", "stddev", "sum", "count");

  private Statistics() {}

  /**
   * @param before the same over an earlier range, or none
   * @param earlier how far back that is, ms
   */
  static TableView of(List<Frame> frames, List<Frame> before, long earlier) {
    var heads = new ArrayList<TableView.Head>();
    heads.add(new TableView.Head("series", false));
    WORDS.forEach(w -> heads.add(new TableView.Head(w, true)));
    var rows = new ArrayList<List<String>>();
    add(frames, "", rows);
    add(before, ", " + Durations.words(earlier) + " earlier", rows);
    return new TableView(heads, rows, 0);
  }

  private static void add(List<Frame> frames, String suffix, List<List<String>> rows) {
    for (var frame : frames) {
      if (frame.drawable()) {
        for (var n : frame.numbers()) {
          boolean named = frames.size() > 1 && !n.name().equals(frame.name());
          rows.add(row((named ? frame.name() + " · " : "") + n.name() + suffix, n));
        }
      }
    }
  }

  private static List<String> row(String name, Column.Number n) {
    var out = new ArrayList<String>();
    out.add(name);
    for (var word : WORDS) {
      double v = Reducer.of(word).apply(n.values(), 0, n.values().length);
      out.add(Units.format(v, word.equals("count") ? "" : n.unit()));
    }
    return out;
  }
}
