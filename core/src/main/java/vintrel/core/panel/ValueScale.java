package vintrel.core.panel;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.picture.Axis;
import vintrel.core.unit.Units;

/** Where values lie on an axis: linear, logarithmic, or logarithmic on both sides of zero. */
public enum ValueScale {
  LINEAR,
  LOG_2,
  LOG,
  SIGNED_LOG;

  /**
   * The place of a value; NaN if it has none.
   *
   * @param zone of the signed scale: up to this size values lie about linearly
   */
  double at(double v, double zone) {
    return switch (this) {
      case LINEAR -> v;
      case LOG_2, LOG -> v > 0 ? Math.log10(v) : Double.NaN;
      case SIGNED_LOG -> Math.signum(v) * Math.log10(1 + Math.abs(v) / zone);
    };
  }

  double[] at(double[] values, double zone) {
    var out = values.clone();
    for (int i = 0; i < out.length; i++) {
      out[i] = at(values[i], zone);
    }
    return out;
  }

  /** The value at a place; the inverse of {@link #at(double, double)}. */
  double value(double at, double zone) {
    return switch (this) {
      case LINEAR -> at;
      case LOG_2, LOG -> Math.pow(10, at);
      case SIGNED_LOG -> Math.signum(at) * (Math.pow(10, Math.abs(at)) - 1) * zone;
    };
  }

  /** The same axis, its numbers with so many decimals. */
  Axis rounded(Axis axis, int decimals, double zone, String unit) {
    var ticks =
        axis.ticks().stream()
            .map(
                t -> {
                  double v = value(t.at(), zone);
                  var own = this == LINEAR ? axis.scale() : Units.scale(Math.abs(v), 0, unit);
                  var scale = new Units.Scale(own.divisor(), decimals, own.suffix());
                  return new Axis.Tick(t.at(), scale.format(v));
                })
            .toList();
    return new Axis(axis.min(), axis.max(), ticks, axis.scale());
  }

  /**
   * The ends and ticks of an axis.
   *
   * @param low least value
   * @param high greatest value
   * @param ends what is fixed of them
   * @param rows about how many ticks
   */
  Axis axis(double low, double high, Ends ends, double zone, String unit, int rows) {
    double from = ends.from == null ? low : ends.from;
    double to = ends.to == null ? high : ends.to;
    if (ends.softFrom != null && ends.from == null) {
      from = low <= high ? Math.min(from, ends.softFrom) : ends.softFrom;
    }
    if (ends.softTo != null && ends.to == null) {
      to = low <= high ? Math.max(to, ends.softTo) : ends.softTo;
    }
    if (ends.middle && this != LOG && this != LOG_2) {
      double size = Math.max(Math.abs(from), Math.abs(to));
      from = -size;
      to = size;
    }
    return switch (this) {
      case LINEAR -> linear(from, to, ends, unit, rows);
      case LOG -> log(from, to, 10, unit, rows);
      case LOG_2 -> log(from, to, 2, unit, rows);
      case SIGNED_LOG -> signed(from, to, zone, unit, rows);
    };
  }

  /**
   * What is fixed of an axis' ends; null: from the data.
   *
   * @param softFrom an end that gives way to data beyond it
   * @param middle whether zero is in the middle
   */
  record Ends(Double from, Double to, Double softFrom, Double softTo, boolean middle) {
    boolean hard() {
      return from != null || to != null;
    }
  }

  private static Axis linear(double from, double to, Ends ends, String unit, int rows) {
    var axis = Axis.values(from, to, unit, rows);
    if (!ends.hard() || !(from < to)) {
      return axis;
    }
    // A fixed end is where it was put, on a round number or not.
    double min = ends.from == null ? axis.min() : ends.from;
    double max = ends.to == null ? axis.max() : ends.to;
    var inside = axis.ticks().stream().filter(t -> t.at() >= min && t.at() <= max).toList();
    return new Axis(min, max, inside, axis.scale());
  }

  private static Axis log(double from, double to, double base, String unit, int rows) {
    double high = to > 0 ? to : 1;
    double low = from > 0 ? Math.min(from, high) : high / 1000;
    double step = Math.log10(base);
    double first = Math.floor(Math.log10(low) / step + 1e-9);
    double last = Math.ceil(Math.log10(high) / step - 1e-9);
    last = Math.max(last, first + 1);
    double each = Math.max(1, Math.ceil((last - first) / Math.max(1, rows)));
    var ticks = new ArrayList<Axis.Tick>();
    for (double k = first; k <= last; k += each) {
      double value = Math.pow(base, k);
      ticks.add(new Axis.Tick(k * step, Units.format(value, unit)));
    }
    return new Axis(first * step, last * step, ticks, Units.scale(high, 0, unit));
  }

  private static Axis signed(double from, double to, double zone, String unit, int rows) {
    double size = Math.max(zone, Math.max(Math.abs(from), Math.abs(to)));
    var places = new ArrayList<Double>();
    for (double v = zone; v <= size * 10; v *= 10) {
      places.add(v);
      if (v >= size) {
        break;
      }
    }
    int each = Math.max(1, (int) Math.ceil(2.0 * places.size() / Math.max(1, rows)));
    var ticks = new ArrayList<Axis.Tick>();
    double least = from < 0 ? -places.getLast() : 0;
    double most = to > 0 ? places.getLast() : 0;
    for (int i = places.size() - 1; least < 0 && i >= 0; i -= each) {
      ticks.add(tick(-places.get(i), zone, unit));
    }
    ticks.add(tick(0, zone, unit));
    for (int i = (places.size() - 1) % each; most > 0 && i < places.size(); i += each) {
      ticks.add(tick(places.get(i), zone, unit));
    }
    return new Axis(
        SIGNED_LOG.at(least, zone),
        most > 0 || least < 0 ? SIGNED_LOG.at(most, zone) : 1,
        List.copyOf(ticks),
        Units.scale(size, 0, unit));
  }

  private static Axis.Tick tick(double value, double zone, String unit) {
    return new Axis.Tick(SIGNED_LOG.at(value, zone), Units.format(value, unit));
  }
}
