package vintrel.server.ask;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.unit.Units;

/** Statistics of each series, over the range that is shown. */
final class Statistics {
  private static final List<String> WORDS =
      List.of("last", "min", "max", "mean", "median", "p95", "p99", "stddev", "sum", "count");

  private Statistics() {}

  static TableView of(List<Frame> frames) {
    var heads = new ArrayList<TableView.Head>();
    heads.add(new TableView.Head("series", false));
    WORDS.forEach(w -> heads.add(new TableView.Head(w, true)));
    heads.add(new TableView.Head("unit", false));
    var rows = new ArrayList<List<String>>();
    for (var frame : frames) {
      if (frame.drawable()) {
        for (var n : frame.numbers()) {
          rows.add(
              row(
                  frames.size() > 1 && !n.name().equals(frame.name())
                      ? frame.name() + " · " + n.name()
                      : n.name(),
                  n));
        }
      }
    }
    return new TableView(heads, rows, 0);
  }

  private static List<String> row(String name, Column.Number n) {
    var out = new ArrayList<String>();
    out.add(name);
    for (var word : WORDS) {
      double v = Reducer.of(word).apply(n.values(), 0, n.values().length);
      out.add(Units.format(v, ""));
    }
    out.add(Units.words(n.unit()));
    return out;
  }
}
