package vintrel.server.watch;

import java.time.ZoneId;
import java.util.List;
import vintrel.core.picture.Axis;
import vintrel.core.unit.TimeText;

/** The time axis over a column of strips. */
final class StripAxis {
  private static final int LABELS = 5;

  private StripAxis() {}

  /**
   * A label.
   *
   * @param x places of a strip from the left
   */
  public record Tick(double x, String text) {}

  static List<Tick> of(TimeText.Range range, ZoneId zone) {
    return Axis.times(range.from(), range.to(), zone, LABELS).stream()
        .map(t -> new Tick(240.0 * (t.at() - range.from()) / range.millis(), t.text()))
        .filter(t -> t.x() > 8 && t.x() < 232)
        .toList();
  }
}
