package vintrel.core.picture;

import java.time.ZoneId;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/**
 * A time chart, ready to be drawn: axes with ticks, traces with colours and readouts. Series of a
 * second unit have an axis of their own at the right; each further unit has one that is not seen
 * unless it is asked for.
 *
 * @param from left edge, ms since the epoch
 * @param to right edge
 * @param second the right axis, or null
 * @param secondUnit its unit
 * @param more further axes, from the number 2 on
 */
public record Picture(
    long from,
    long to,
    List<Axis.Tick> timeTicks,
    Axis axis,
    String unit,
    Axis second,
    String secondUnit,
    List<Further> more,
    List<Trace> traces) {

  /** An axis beyond the second. Where it is not drawn, readouts tell what is on it. */
  public record Further(Axis axis, String unit) {}

  /** The axis of a number: 0 the first, 1 the second. */
  public Axis axisOf(int number) {
    return number == 0 ? axis : number == 1 ? second : more.get(number - 2).axis();
  }

  /**
   * The distance of values of a trace that are told apart when they are written for a screen: far
   * below a pixel, whether the axis or the trace reaches further; 0: all are.
   */
  public double fineness(Trace of) {
    var r = of.readout();
    double own = r.max() > r.min() ? r.max() - r.min() : Math.abs(r.max());
    return Math.min(Axis.fineness(own), axisOf(of.axis()).fineness());
  }

  /** Values of a trace, as exact as a screen can show them: shorter to write. */
  public double[] shown(Trace of, double[] values) {
    return Axis.rounded(values, fineness(of));
  }

  /**
   * How far apart ticks around the values on an axis are, so that numbers beside them have the
   * digits that matter; 0 if there is no such distance.
   */
  public double stepOf(int number) {
    double low = Double.POSITIVE_INFINITY;
    double high = Double.NEGATIVE_INFINITY;
    for (var t : traces) {
      if (t.axis() == number && !Double.isNaN(t.readout().min())) {
        low = Math.min(low, t.readout().min());
        high = Math.max(high, t.readout().max());
      }
    }
    return low <= high ? Axis.step(low, high, unitOf(number)) : 0;
  }

  public String unitOf(int number) {
    return number == 0 ? unit : number == 1 ? secondUnit : more.get(number - 2).unit();
  }

  /**
   * @param line of the query
   * @param colour a number of the palette, from 0
   * @param axis its number: 0 the first, 1 the second, 2 and more a further one
   * @param earlier drawn dashed: the same, so long before
   * @param partial whether its first and last bucket lie only in part within the range
   * @param times bucket starts, ms
   * @param joined missing buckets over which the line is drawn on, since the values are no closer
   *     together anyway: indices, rising
   * @param low envelope, or null
   * @param shares of the stack in each bucket, percent, or null
   */
  public record Trace(
      String line,
      String name,
      int colour,
      int axis,
      boolean earlier,
      Frame.Partial partial,
      long[] times,
      double[] values,
      int[] joined,
      double[] low,
      double[] high,
      double[] shares,
      Readout readout) {

    /** On another axis. */
    public Trace on(int other) {
      return new Trace(
          line, name, colour, other, earlier, partial, times, values, joined, low, high, shares,
          readout);
    }

    /** As a part of a stack. */
    public Trace sharing(double[] percent) {
      return new Trace(
          line, name, colour, axis, earlier, partial, times, values, joined, low, high, percent,
          readout);
    }

    /** In another colour, drawn on over other missing buckets. */
    public Trace drawn(int otherColour, int[] otherJoined) {
      return new Trace(
          line,
          name,
          otherColour,
          axis,
          earlier,
          partial,
          times,
          values,
          otherJoined,
          low,
          high,
          shares,
          readout);
    }

    /** With other values in its buckets, and no envelope. */
    public Trace at(double[] others) {
      return new Trace(
          line, name, colour, axis, earlier, partial, times, others, joined, null, null, null,
          readout);
    }

    /** Without the first points; what is said of them as a whole stays. */
    public Trace from(int first) {
      return new Trace(
          line,
          name,
          colour,
          axis,
          earlier,
          partial,
          Arrays.copyOfRange(times, first, times.length),
          after(values, first),
          joined,
          after(low, first),
          after(high, first),
          after(shares, first),
          readout);
    }

    private static double[] after(double[] of, int first) {
      return of == null ? null : Arrays.copyOfRange(of, first, of.length);
    }
  }

  /** With other traces. */
  public Picture with(List<Trace> others) {
    return new Picture(
        from, to, timeTicks, axis, unit, second, secondUnit, more, List.copyOf(others));
  }

  /**
   * How a picture is made.
   *
   * @param unit overrides the data's own unit if it is not empty
   * @param limits values that must be visible too
   * @param width pixels, for the number of ticks
   * @param palette shared by the pictures of one page
   * @param earlier frames of an earlier time; drawn dashed over this one
   * @param by how long before that was, ms
   */
  public record Look(
      ZoneId zone,
      String unit,
      double[] limits,
      int width,
      int height,
      Palette palette,
      List<Frame> earlier,
      long by) {}

  /** Pixels of a picture's side as they may be: what a screen can have. */
  public static int side(int pixels) {
    return Math.clamp(pixels, 20, 8_000);
  }

  /** The names of the lines on an axis: 0 the left one, 1 the right one. */
  public List<String> lines(int axis) {
    return traces.stream()
        .filter(t -> t.axis() == axis && !t.line().isEmpty())
        .map(Trace::line)
        .distinct()
        .toList();
  }

  /** Draws frames that hold series over time; others are left out. */
  public static Picture of(List<Frame> frames, long from, long to, Look look) {
    var maker = new Maker(look, ambiguous(frames), from, to);
    frames.forEach(f -> maker.add(f, false));
    look.earlier().forEach(f -> maker.add(f.later(look.by()), true));
    return maker.picture();
  }

  /** Names that series of several lines have. */
  private static Set<String> ambiguous(List<Frame> frames) {
    var seen = new HashSet<String>();
    return frames.stream()
        .filter(Frame::drawable)
        .flatMap(f -> f.numbers().stream().map(Column.Number::name).distinct())
        .filter(n -> !seen.add(n))
        .collect(Collectors.toSet());
  }

  private static final class Maker {
    private final Look look;
    private final long from;
    private final long to;
    private final Set<String> ambiguous;
    private final Palette.InPicture colours;
    private final Map<String, Integer> known = new HashMap<>();
    private final List<Trace> traces = new ArrayList<>();
    private final List<double[]> ends = new ArrayList<>();
    private final List<String> further = new ArrayList<>();
    private String unit;
    private String secondUnit;
    private long end = Long.MIN_VALUE;

    Maker(Look look, Set<String> ambiguous, long from, long to) {
      this.from = from;
      this.to = to;
      this.look = look;
      this.ambiguous = ambiguous;
      this.unit = Units.known(look.unit()) ? look.unit() : null;
      this.colours = look.palette().picture();
    }

    void add(Frame frame, boolean earlier) {
      if (!frame.drawable()) {
        return;
      }
      var times = ((Column.Time) frame.columns().getFirst()).values();
      var partial = frame.partial(from, to);
      for (var n : frame.numbers()) {
        var readout = Readout.of(n.values(), n.low(), n.high());
        int axis = axis(n);
        if (!Double.isNaN(readout.last())) {
          var ends = ends(axis);
          ends[0] = Math.min(ends[0], readout.min());
          ends[1] = Math.max(ends[1], readout.max());
          end = Math.max(end, last(times, n.values()));
        }
        // What was before has the colour of what is now.
        int colour =
            earlier ? known.getOrDefault(frame.name() + key(frame, n), 0) : colour(frame, n);
        traces.add(
            new Trace(
                frame.name(),
                name(frame, n) + (earlier ? " − " + Durations.words(look.by()) : ""),
                colour,
                axis,
                earlier,
                partial,
                times,
                n.values(),
                joined(times, n.values()),
                n.low(),
                n.high(),
                null,
                readout));
      }
    }

    /**
     * The missing buckets between values that are no further apart than twice their mean distance:
     * there nothing is missing, the buckets are only narrower than the data is dense.
     */
    private static int[] joined(long[] times, double[] values) {
      var there = IntStream.range(0, values.length).filter(i -> !Double.isNaN(values[i])).toArray();
      if (there.length < 2 || there.length == values.length) {
        return new int[0];
      }
      double mean =
          (times[there[there.length - 1]] - times[there[0]]) / (double) (there.length - 1);
      var out = IntStream.builder();
      for (int i = 1; i < there.length; i++) {
        if (times[there[i]] - times[there[i - 1]] <= 1.8 * mean) {
          IntStream.range(there[i - 1] + 1, there[i]).forEach(out::add);
        }
      }
      return out.build().toArray();
    }

    private String name(Frame frame, Column.Number n) {
      return ambiguous.contains(n.name()) && !frame.name().isEmpty()
          ? frame.name() + " · " + n.name()
          : n.name();
    }

    private String key(Frame frame, Column.Number n) {
      return look.palette().key(frame.name(), n);
    }

    private int colour(Frame frame, Column.Number n) {
      int colour = colours.colour(key(frame, n));
      known.put(frame.name() + key(frame, n), colour);
      return colour;
    }

    private long last(long[] times, double[] values) {
      int i = times.length - 1;
      while (i > 0 && Double.isNaN(values[i])) {
        i--;
      }
      return times.length < 2 || times[i] < to ? Long.MIN_VALUE : times[i] + (times[1] - times[0]);
    }

    /**
     * What has no unit goes beside what has one on an axis of its own, but for a plain number,
     * which is a line across.
     */
    private int axis(Column.Number n) {
      boolean plain = !Units.known(n.unit()) && constant(n.values());
      if (Units.known(look.unit()) || plain) {
        return 0;
      }
      if (unit == null || unit.equals(n.unit())) {
        unit = n.unit();
        return 0;
      }
      secondUnit = secondUnit == null ? n.unit() : secondUnit;
      if (n.unit().equals(secondUnit)) {
        return 1;
      }
      // On the axis of another unit its values would be read wrongly.
      if (!further.contains(n.unit())) {
        further.add(n.unit());
      }
      return 2 + further.indexOf(n.unit());
    }

    /** The least and the greatest value on an axis. */
    private double[] ends(int axis) {
      while (ends.size() <= axis) {
        ends.add(new double[] {Double.POSITIVE_INFINITY, Double.NEGATIVE_INFINITY});
      }
      return ends.get(axis);
    }

    private Axis axis(int which, String unit, int rows) {
      var ends = ends(which);
      return Axis.values(ends[0], ends[1], unit, rows);
    }

    private static boolean constant(double[] values) {
      double first = Double.NaN;
      for (double v : values) {
        if (!Double.isNaN(v) && !Double.isNaN(first) && v != first) {
          return false;
        }
        first = Double.isNaN(v) ? first : v;
      }
      return true;
    }

    Picture picture() {
      for (double limit : look.limits()) {
        var left = ends(0);
        if (left[0] <= left[1]) {
          left[0] = Math.min(left[0], limit);
          left[1] = Math.max(left[1], limit);
        }
      }
      // A forecast goes on after the range. The last bucket of others may reach over it: the panels
      // of a page end together all the same.
      long right = Math.max(end, to);
      int rows = Math.max(2, look.height() / 45);
      var more = new ArrayList<Further>();
      for (var other : further) {
        more.add(new Further(axis(2 + more.size(), other, rows), other));
      }
      return new Picture(
          from,
          right,
          Axis.times(from, right, look.zone(), Math.max(2, look.width() / 90)),
          axis(0, unit == null ? "" : unit, rows),
          unit == null ? "" : unit,
          secondUnit == null ? null : axis(1, secondUnit, rows),
          secondUnit == null ? "" : secondUnit,
          more,
          traces);
    }
  }
}
