package vintrel.core.frame;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.TreeSet;
import vintrel.core.query.Answer;
import vintrel.core.query.Names;
import vintrel.core.series.Labels;

/** Answers → frames. */
public final class Frames {
  private Frames() {}

  /** One time column and a number column for each series. */
  public static Frame series(Answer.LineAnswer line) {
    var set = line.set();
    var columns = new ArrayList<Column>();
    columns.add(new Column.Time("time", set.grid().times()));
    var names = Names.of(line.name(), set);
    for (int i = 0; i < names.size(); i++) {
      var row = set.rows().get(i);
      columns.add(
          new Column.Number(
              names.get(i), row.unit(), row.labels(), row.values(), row.low(), row.high()));
    }
    return new Frame(line.name(), columns);
  }

  /**
   * One row for each set of labels, with the latest value of each line: the labels as text columns,
   * then a number column a line. A line without labels fills its column in every row.
   */
  public static Frame latest(List<Answer.LineAnswer> lines) {
    var labelNames = new TreeSet<String>();
    var rows = new LinkedHashMap<Labels, double[]>();
    for (var line : lines) {
      for (var row : line.set().rows()) {
        labelNames.addAll(row.labels().names());
        rows.computeIfAbsent(row.labels(), k -> missing(lines.size()));
      }
    }
    for (int l = 0; l < lines.size(); l++) {
      for (var row : lines.get(l).set().rows()) {
        rows.get(row.labels())[l] = last(row.values());
      }
    }
    spreadUnlabelled(rows);
    var columns = new ArrayList<Column>();
    for (var name : labelNames) {
      columns.add(
          new Column.Text(
              name,
              rows.keySet().stream()
                  .map(k -> k.get(name) == null ? "" : k.get(name))
                  .toArray(String[]::new)));
    }
    for (int l = 0; l < lines.size(); l++) {
      int at = l;
      var set = lines.get(l).set();
      var unit = set.rows().isEmpty() ? "" : set.rows().getFirst().unit();
      columns.add(
          new Column.Number(
              lines.get(l).name().isEmpty() ? "value" : lines.get(l).name(),
              unit,
              Labels.NONE,
              rows.values().stream().mapToDouble(v -> v[at]).toArray(),
              null,
              null));
    }
    return new Frame("", columns);
  }

  private static void spreadUnlabelled(LinkedHashMap<Labels, double[]> rows) {
    var all = rows.get(Labels.NONE);
    if (all == null || rows.size() == 1) {
      return;
    }
    rows.remove(Labels.NONE);
    for (var row : rows.values()) {
      for (int i = 0; i < all.length; i++) {
        row[i] = Double.isNaN(row[i]) ? all[i] : row[i];
      }
    }
  }

  private static double[] missing(int n) {
    var out = new double[n];
    java.util.Arrays.fill(out, Double.NaN);
    return out;
  }

  /** The latest value that is not missing, or NaN. */
  public static double last(double[] values) {
    for (int i = values.length - 1; i >= 0; i--) {
      if (!Double.isNaN(values[i])) {
        return values[i];
      }
    }
    return Double.NaN;
  }
}
