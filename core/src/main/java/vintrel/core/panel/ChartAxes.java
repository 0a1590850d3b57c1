package vintrel.core.panel;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.panel.ValueAxis.Side;
import vintrel.core.picture.Picture;

/**
 * The value axes of a time chart: which unit is on each and what is set for it. On the axis of
 * another unit a value would be read wrongly, so that each unit has axes of its own. One thread.
 */
final class ChartAxes {
  /**
   * @param setting its index among the settings of the chart's further axes; -1: none is for it
   */
  record One(ValueAxis set, String unit, int setting) {}

  private final List<One> all = new ArrayList<>();
  private final List<ValueAxis> settings;
  private final boolean[] taken;

  ChartAxes(TimeChart chart, Picture plain) {
    settings = chart.axes();
    taken = new boolean[settings.size()];
    all.add(new One(chart.firstAxis(), plain.unit(), -1));
    all.add(plain.second() == null ? null : made(plain.secondUnit(), null, Side.RIGHT));
    plain.more().forEach(h -> all.add(made(h.unit(), null, Side.HIDDEN)));
  }

  /** As a picture numbers them; null for the number 1 if there is no second axis. */
  One get(int number) {
    return all.get(number);
  }

  int count() {
    return all.size();
  }

  /** The number of an axis for a unit at a side; if there is none, one is made. */
  int on(Side side, String unit) {
    for (int n = 0; n < all.size() && side != Side.HIDDEN; n++) {
      var one = all.get(n);
      if (one != null && one.unit.equals(unit) && (one.set.side() == side || stays(n, side))) {
        return n;
      }
    }
    var made = side == Side.HIDDEN ? new One(ValueAxis.at(side), unit, -1) : made(unit, side, side);
    if (side == Side.RIGHT && all.get(1) == null) {
      all.set(1, made);
      return 1;
    }
    all.add(made);
    return all.size() - 1;
  }

  /** The first axis, if it is not drawn, is where it would be. */
  private boolean stays(int number, Side side) {
    return number == 0 && side == Side.LEFT && all.getFirst().set.side() == Side.HIDDEN;
  }

  /**
   * With the settings for the unit, else the next that are for no unit.
   *
   * @param side that they must have; null: any
   * @param otherwise the side if there are none
   */
  private One made(String unit, Side side, Side otherwise) {
    for (var wanted : List.of(unit, "")) {
      for (int i = 0; i < settings.size(); i++) {
        var set = settings.get(i);
        if (!taken[i] && set.unit().equals(wanted) && (side == null || set.side() == side)) {
          taken[i] = true;
          return new One(set, unit, i);
        }
      }
    }
    return new One(ValueAxis.at(otherwise), unit, -1);
  }
}
