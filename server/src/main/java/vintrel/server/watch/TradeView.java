package vintrel.server.watch;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.core.watch.Rule;
import vintrel.core.watch.TradeOff;

/**
 * A trade-off as a page draws it.
 *
 * @param title what the picture shows
 * @param shown the points with the limit's own deadband, by on-delay; empty if nothing can be said
 * @param bare the alerts without a deadband, at the same on-delays; empty if the limit has none
 * @param own that of the limit as it is
 * @param suggested null if there is nothing to gain
 * @param words what is spared and what is lost
 */
record TradeView(
    String title, List<Point> shown, List<Integer> bare, Point own, Point suggested, String words) {

  /**
   * @param onDelay as documents write it
   * @param label as an axis writes it
   * @param seen how long it took until an alert was seen, in words
   * @param about all of it, in words
   */
  record Point(
      String onDelay, String label, double deadband, int alerts, String seen, String about) {}

  static TradeView none() {
    return new TradeView("", List.of(), List.of(), null, null, "");
  }

  static TradeView tooMuch() {
    return new TradeView(
        "Alerts by on-delay",
        List.of(),
        List.of(),
        null,
        null,
        "Too many checks to compare. Choose a shorter range.");
  }

  static TradeView of(Rule rule, int limit, TradeOff.Grid grid, long range) {
    if (grid == null) {
      return tooMuch();
    }
    var own = rule.limits().get(limit);
    double deadband = own.test().deadband();
    var shown = grid.of(deadband);
    var now = shown.stream().filter(p -> p.onDelay() == own.onDelay()).findFirst().orElseThrow();
    var better = grid.suggested();
    if (better != null
        && better.onDelay() == now.onDelay()
        && better.deadband() == now.deadband()) {
      better = null;
    }
    var out = new ArrayList<Point>();
    shown.forEach(p -> out.add(point(rule, p)));
    return new TradeView(
        "Alerts in %s by on-delay".formatted(Durations.words(range)),
        List.copyOf(out),
        deadband == 0 ? List.of() : grid.of(0).stream().map(TradeOff.Point::alerts).toList(),
        point(rule, now),
        better == null ? null : point(rule, better),
        words(rule, now, better, shown));
  }

  private static Point point(Rule rule, TradeOff.Point p) {
    var seen = p.median() < 0 ? "" : after(p.median());
    var about =
        "%s: %s%s%s"
            .formatted(
                label(p.onDelay()),
                Counts.of(p.alerts(), "alert"),
                seen.isEmpty() ? "" : ", detected " + seen + " (median)",
                lost(p));
    return new Point(
        Durations.text(p.onDelay()), label(p.onDelay()), p.deadband(), p.alerts(), seen, about);
  }

  private static String after(long ms) {
    return ms == 0 ? "immediately" : "after " + Durations.words(ms);
  }

  private static String label(long ms) {
    return ms == 0 ? "0" : Durations.words(ms);
  }

  private static String lost(TradeOff.Point p) {
    return p.lost() == 0
        ? "; nothing is missed"
        : "; what lasts up to %s is missed".formatted(Durations.words(p.lost()));
  }

  /** What the setting spares and loses against no waiting, or what the proposed one would. */
  private static String words(
      Rule rule, TradeOff.Point now, TradeOff.Point better, List<TradeOff.Point> shown) {
    int all = shown.getFirst().alerts();
    if (all == 0 && now.alerts() == 0) {
      return "Nothing passes this limit in the range, whatever the on-delay.";
    }
    if (better == null) {
      return now.onDelay() == 0
          ? "A longer on-delay would avoid few alerts."
          : against(now, shown.getFirst());
    }
    var deadband =
        better.deadband() == now.deadband()
            ? ""
            : " with a deadband of " + Units.format(better.deadband(), rule.unit());
    return "%s%s: %s in place of %d%s%s."
        .formatted(
            better.onDelay() == 0 ? "No on-delay" : Durations.words(better.onDelay()),
            deadband,
            Counts.of(better.alerts(), "alert"),
            now.alerts(),
            better.median() < 0 ? "" : ", detected " + after(better.median()),
            lost(better));
  }

  private static String against(TradeOff.Point now, TradeOff.Point none) {
    int spared = none.alerts() - now.alerts();
    return "%s avoids %s%s%s."
        .formatted(
            Durations.words(now.onDelay()),
            Counts.of(Math.max(0, spared), "alert"),
            now.median() < 0 ? "" : "; the others are detected " + after(now.median()),
            lost(now));
  }
}
