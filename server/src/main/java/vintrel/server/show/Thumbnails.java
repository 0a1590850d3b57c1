package vintrel.server.show;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.time.Clock;
import java.util.List;
import java.util.Locale;
import org.springframework.stereotype.Component;
import vintrel.core.define.Dashboard;
import vintrel.core.picture.Glimpse;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.compute.Frames;
import vintrel.core.unit.Durations;

/**
 * Small pictures of dashboards for their list, from the last answers that their panels had; nothing
 * is asked for them. Any thread.
 */
@Component
class Thumbnails {
  private static final int MAX_PANELS = 5_000;

  /** Series of a line, and of all lines of a panel. */
  private static final int SERIES = 3;

  private static final int MOST = 4;

  private static final int COLUMNS = 32;

  /** A panel's frame around its lines, in columns and rows of the grid. */
  private static final double PAD = 0.12;

  private record Kept(long at, Glimpse glimpse) {}

  private final Cache<String, Kept> kept = Caffeine.newBuilder().maximumSize(MAX_PANELS).build();

  private final Clock clock;

  Thumbnails(Clock clock) {
    this.clock = clock;
  }

  private static String key(String dashboard, String panel) {
    return dashboard + "/" + panel;
  }

  /** Whether no panel was answered so far, and nobody else has begun to ask them. */
  boolean begin(Dashboard dashboard) {
    boolean none =
        dashboard.panels().stream()
            .allMatch(p -> kept.getIfPresent(key(dashboard.name(), p.id())) == null);
    var own = key(dashboard.name(), "");
    return none && kept.asMap().putIfAbsent(own, new Kept(clock.millis(), null)) == null;
  }

  /**
   * A panel was answered; at most once a minute its picture is drawn anew.
   *
   * @param from start of the range, ms
   * @param to its end, exclusive
   */
  void answered(String dashboard, String panel, List<Answer.LineAnswer> lines, long from, long to) {
    var key = key(dashboard, panel);
    var old = kept.getIfPresent(key);
    if (lines.isEmpty() || old != null && clock.millis() - old.at() < Durations.MINUTE) {
      return;
    }
    var series =
        lines.stream()
            .flatMap(l -> Frames.pickSeries(l.set(), SERIES).stream())
            .limit(MOST)
            .toList();
    // A forecast goes on after the range.
    long end =
        series.stream()
            .filter(s -> !s.isEmpty())
            .mapToLong(s -> s.lastTime() + 1)
            .reduce(to, Math::max);
    var glimpse = Glimpse.of(series, from, end, COLUMNS);
    kept.put(key, new Kept(clock.millis(), glimpse));
  }

  /**
   * The lines of a panel as SVG path data in columns and rows of the grid, or empty.
   *
   * @param title room for a title above them, rows
   */
  String path(String dashboard, Dashboard.Panel panel, double title) {
    var found = kept.getIfPresent(key(dashboard, panel.id()));
    if (found == null || found.glimpse().series().isEmpty()) {
      return "";
    }
    var p = panel.place();
    double x = p.column() - 0.92 + PAD;
    double y = p.row() - 0.85 + PAD + title;
    double w = p.width() - 0.16 - 2 * PAD;
    double h = p.height() - 0.3 - 2 * PAD - title;
    var out = new StringBuilder();
    int columns = Math.max(2, found.glimpse().columns());
    for (var strand : found.glimpse().series()) {
      boolean pen = false;
      for (int c = 0; c < strand.low().length; c++) {
        if (strand.low()[c] == Glimpse.NONE) {
          pen = false;
          continue;
        }
        double value = (strand.low()[c] + strand.high()[c]) / 2.0 / Glimpse.TALL;
        out.append(
            String.format(
                Locale.ROOT,
                "%s%.2f %.2f",
                pen ? "L" : "M",
                x + w * c / (columns - 1),
                y + h * (1 - value)));
        // A value alone is a dot.
        out.append(pen ? "" : "h0.1");
        pen = true;
      }
    }
    return out.toString();
  }
}
