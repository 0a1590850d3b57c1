package vintrel.server.ask;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.Answer;
import vintrel.core.query.Frames;
import vintrel.core.unit.Units;

/** The latest values as texts. */
public record TableView(List<Head> heads, List<List<String>> rows, int left) {
  private static final int MOST_ROWS = 200;

  /** A column's head; {@code number} says that it is set to the right. */
  public record Head(String name, boolean number) {}

  /** At most two hundred rows; {@code left} says how many more there are. */
  public static TableView latest(List<Answer.LineAnswer> lines, String unit) {
    Frame frame = Frames.latest(lines);
    var heads = new ArrayList<Head>();
    for (var c : frame.columns()) {
      heads.add(new Head(c.name(), c instanceof Column.Number));
    }
    var rows = new ArrayList<List<String>>();
    for (int i = 0; i < Math.min(MOST_ROWS, frame.rows()); i++) {
      var row = new ArrayList<String>();
      for (var c : frame.columns()) {
        row.add(
            switch (c) {
              case Column.Text t -> t.values()[i];
              case Column.Number n -> Units.format(n.values()[i], unit.isEmpty() ? n.unit() : unit);
              case Column.Time t -> Long.toString(t.values()[i]);
            });
      }
      rows.add(row);
    }
    return new TableView(heads, rows, Math.max(0, frame.rows() - MOST_ROWS));
  }
}
