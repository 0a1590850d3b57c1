package vintrel.server.collect;

import java.time.ZoneId;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.function.Function;
import java.util.function.ToLongFunction;
import org.springframework.stereotype.Component;
import vintrel.core.collect.ArrivalStrip;
import vintrel.core.frame.Column;
import vintrel.core.picture.Axis;
import vintrel.core.picture.Pitch;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.server.ask.Queries;

/** Strips of what arrived over a range: a column per bucket, its gaps, what was caught up. */
@Component
class Strips {
  private static final int COLUMNS = 100;
  private static final int WIDTH = 300;
  private static final int HEIGHT = 16;

  private final Queries queries;

  Strips(Queries queries) {
    this.queries = queries;
  }

  /** Three paths of a strip: columns, gaps below the ground, columns that catch up. */
  public record View(String columns, String gaps, String caughtUp) {
    static final View NONE = new View("", "", "");
  }

  /** A tick of the strips' axis: where, in percent, and its text. */
  public record Tick(double at, String text) {}

  /**
   * Strips by what a series stands for.
   *
   * @param query up to the name of an aggregation, which gets the width of a column
   * @param key of a series, null to leave it out
   * @param interval the usual time between two arrivals, ms; 0 if silence is no gap
   */
  Map<String, View> of(
      String query,
      TimeText.Range range,
      long now,
      Function<Labels, String> key,
      ToLongFunction<String> interval) {
    long width = Pitch.fitting(range.millis(), COLUMNS, 10_000);
    var out = new HashMap<String, View>();
    try {
      var text = query + " every " + Durations.text(width);
      var answered = queries.answer(new Queries.Ask(text, range, COLUMNS).step(width));
      for (var frame : answered.frames()) {
        var times = ((Column.Time) frame.columns().getFirst()).values();
        int whole = 0;
        while (whole < times.length && times[whole] + width <= now) {
          whole++;
        }
        for (var n : frame.numbers()) {
          var id = key.apply(n.labels());
          if (id != null) {
            out.put(id, drawn(ArrivalStrip.of(n.values(), whole, width, interval.applyAsLong(id))));
          }
        }
      }
    } catch (QueryException e) {
      // Before the first own metrics there are no strips.
      return out;
    }
    return out;
  }

  private static View drawn(ArrivalStrip strip) {
    var columns = new StringBuilder();
    var gaps = new StringBuilder();
    var caughtUp = new StringBuilder();
    int n = strip.heights().length;
    for (int i = 0; i < n; i++) {
      double x = (i + 0.5) * WIDTH / n;
      if (strip.gaps()[i]) {
        double half = WIDTH / 2.0 / n;
        gaps.append(String.format(Locale.ROOT, "M%.1f %d.5H%.1f", x - half, HEIGHT + 1, x + half));
      } else if (strip.heights()[i] > 0) {
        double top = HEIGHT - strip.heights()[i] * (HEIGHT - 1) / 100.0;
        (strip.caughtUp()[i] ? caughtUp : columns)
            .append(String.format(Locale.ROOT, "M%.1f %dV%.1f", x, HEIGHT, top));
      }
    }
    return new View(columns.toString(), gaps.toString(), caughtUp.toString());
  }

  static List<Tick> ticks(TimeText.Range range, ZoneId zone) {
    return Axis.times(range.from(), range.to(), zone, 4).stream()
        .map(t -> new Tick((double) (t.at() - range.from()) / range.millis() * 100, t.text()))
        .filter(t -> t.at() > 5 && t.at() < 95)
        .toList();
  }
}
