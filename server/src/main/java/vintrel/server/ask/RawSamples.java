package vintrel.server.ask;

import java.time.ZoneId;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import vintrel.core.query.syntax.Expr;
import vintrel.core.series.Series;
import vintrel.core.store.MemoryClaim;
import vintrel.core.store.SampleSource;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;

/** Samples as they came. */
final class RawSamples {
  private static final int MAX_SERIES = 50;
  private static final int MAX_ROWS = 500;

  private RawSamples() {}

  /**
   * The newest samples of the first series, newest first.
   *
   * @param memory asked for the samples of one series at a time
   */
  static TableView of(
      SampleStore store,
      List<Expr.Source> sources,
      TimeText.Range range,
      ZoneId zone,
      MemoryClaim memory) {
    record Point(long time, Series series, double value) {}
    var points = new ArrayList<Point>();
    long left = 0;
    for (var source : sources) {
      var found = store.select(source.store(), source.name(), source.where().bind(k -> null));
      var some = found.subList(0, Math.min(MAX_SERIES, found.size()));
      for (var series : some) {
        var samples = store.read(List.of(series), range.from(), range.to(), memory).getFirst();
        memory.give((long) SampleSource.SAMPLE_BYTES * samples.count());
        left += samples.count();
        for (int i = Math.max(0, samples.count() - MAX_ROWS); i < samples.count(); i++) {
          points.add(new Point(samples.times()[i], series, samples.values()[i]));
        }
      }
    }
    points.sort(Comparator.comparingLong(Point::time).reversed());
    var rows =
        points.stream()
            .limit(MAX_ROWS)
            .map(
                p ->
                    List.of(
                        TableView.time(p.time(), zone),
                        p.series().metric() + " " + p.series().labels(),
                        plain(p.value()),
                        Units.words(p.series().unit())))
            .toList();
    var heads =
        List.of(
            new TableView.Head("time", false),
            new TableView.Head("series", false),
            new TableView.Head("value", true),
            new TableView.Head("unit", false));
    return new TableView(heads, rows, (int) Math.min(Integer.MAX_VALUE, left - rows.size()));
  }

  private static String plain(double v) {
    return v == Math.rint(v) && Math.abs(v) < 1e15 ? Long.toString((long) v) : Double.toString(v);
  }
}
