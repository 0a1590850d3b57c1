package vintrel.demo;

import java.util.Map;

/** One series of the fleet, and how its next value is found. */
final class Signal {
  /** Value at a time; {@code seconds} since the one before, for what accumulates. */
  interface Reading {
    double at(long time, double seconds);
  }

  enum Kind {
    GAUGE,
    COUNTER
  }

  final String metric;
  final Map<String, String> labels;
  final Kind kind;
  final String unit;
  final Reading reading;
  private double total;
  private long began;

  /**
   * @param reading of a gauge its value, of a counter its growth per second
   */
  Signal(String metric, Map<String, String> labels, Kind kind, String unit, Reading reading) {
    this.metric = metric;
    this.labels = labels;
    this.kind = kind;
    this.unit = unit;
    this.reading = reading;
  }

  double next(long time, double seconds) {
    double v = reading.at(time, seconds);
    if (kind == Kind.GAUGE) {
      return v;
    }
    total += Math.max(0, v) * seconds;
    return Math.floor(total);
  }

  /** A restart: the counter begins again at a time, ms. */
  void reset(long time) {
    total = 0;
    began = time;
  }

  /** Since when a counter counts, ms; 0 if that was before anybody looked. */
  long began() {
    return began;
  }
}
