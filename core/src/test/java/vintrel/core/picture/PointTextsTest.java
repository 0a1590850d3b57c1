package vintrel.core.picture;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.time.ZoneId;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.series.Labels;

class PointTextsTest {
  private static final double NONE = Double.NaN;

  private static Picture picture(String unit, double[]... series) {
    var columns = new java.util.ArrayList<Column>();
    var times = new long[series[0].length];
    java.util.Arrays.setAll(times, i -> 1000L * i);
    columns.add(new Column.Time("time", times));
    for (int i = 0; i < series.length; i++) {
      columns.add(new Column.Number("s" + i, unit, Labels.of("n", "" + i), series[i], null, null));
    }
    return Picture.of(
        List.of(new Frame("", columns)),
        0,
        1000L * times.length,
        new Picture.Look(
            ZoneId.of("UTC"), "", new double[0], 600, 300, new Palette(), List.of(), 0));
  }

  private static String told(Picture picture, int trace) {
    var t = picture.traces().get(trace);
    return PointTexts.of(picture, t.axis()).values(t.values());
  }

  /** Numbers on one axis have one prefix and the same digits after the point. */
  @Test
  void numbersOnAnAxisAreWrittenAlike() {
    var p = picture("By/s", new double[] {812_345, NONE, 0}, new double[] {12_345_678, -5, 2e6});
    assertThat(told(p, 0)).isEqualTo("0.812||0.00");
    assertThat(told(p, 1)).isEqualTo("12.35|−0.000005|2.00");
    assertThat(PointTexts.of(p, 0).scale().suffix()).isEqualTo(" MB/s");
  }

  /** What the axis keeps apart, the numbers beside it do too. */
  @Test
  void digitsFollowTheAxis() {
    var near = picture("ms", new double[] {999.5, 1000, 1000.5});
    assertThat(told(near, 0)).isEqualTo("0.99950|1.00000|1.00050");
    var small = picture("By", new double[] {100_000, 0.0157, 0});
    assertThat(told(small, 0)).isEqualTo("100.00|0.0000157|0.00");
    var random = new Random(9);
    for (int n = 0; n < 2_000; n++) {
      double size = Math.pow(10, random.nextInt(8) - 3);
      double apart = size * Math.pow(10, -random.nextInt(5));
      var unit = List.of("s", "ms", "By", "%", "").get(random.nextInt(5));
      var p = picture(unit, new double[] {size, size + apart / 2, size + apart});
      var texts = told(p, 0).split("\\|");
      assertThat(texts).as("%s to %s %s", size, size + apart, unit).doesNotHaveDuplicates();
    }
  }

  @Test
  void wholeNumbersHaveNoDigitsAfterThePoint() {
    assertThat(told(picture("{scan}", new double[] {7, -12, NONE}), 0)).isEqualTo("7|−12|");
    assertThat(told(picture("{scan}", new double[] {7, 12.5, NONE}), 0)).isEqualTo("7.00|12.50|");
    assertThat(told(picture("{scan}", new double[] {70_000, 3, 5}), 0))
        .isEqualTo("70.00|0.003|0.005");
  }

  @Test
  void rangesAreToldWhereTheyAreSome() {
    var texts = PointTexts.of(picture("%", new double[] {10, 20.25, 5}), 0);
    var low = new double[] {9, 20.25, NONE};
    assertThat(texts.ranges(low, new double[] {11.5, 20.25, NONE})).isEqualTo("9.00 to 11.50||");
    assertThat(texts.values(new double[0])).isEmpty();
    assertThat(texts.values(new double[] {NONE, Double.POSITIVE_INFINITY})).isEqualTo("|+∞");
  }

  /** What is written for a screen is off by far less than a pixel on it, and keeps its sign. */
  @Test
  void roundedValuesLieWithinAFractionOfAPixel() {
    var random = new Random(4);
    for (int n = 0; n < 3_000; n++) {
      double size = Math.pow(10, random.nextInt(40) - 20);
      double offset = random.nextInt(3) == 0 ? size * random.nextInt(1_000_000) : 0;
      var values = random.doubles(12, -1, 1).map(v -> offset + v * size).toArray();
      values[3] = NONE;
      values[4] = 0;
      values[5] = size * 1e-9;
      var p = picture("", values);
      var trace = p.traces().getFirst();
      double pixel = (p.axis().max() - p.axis().min()) / 8_000;
      var shown = p.shown(trace, trace.values());
      for (int i = 0; i < shown.length; i++) {
        if (i == 3) {
          assertThat(shown[i]).isNaN();
          continue;
        }
        assertThat(shown[i]).isCloseTo(values[i], within(0.2 * pixel));
        assertThat(Math.signum(shown[i])).isEqualTo(Math.signum(values[i]));
        assertThat(p.shown(trace, shown)[i]).isEqualTo(shown[i]);
      }
    }
  }

  @Test
  void roundedValuesAreShort() {
    var p = picture("", new double[] {1 / 3.0, 98.7654321098, 100});
    assertThat(p.shown(p.traces().getFirst(), p.traces().getFirst().values()))
        .containsExactly(0.333, 98.765, 100);
    var flat = picture("", new double[] {2 / 3.0, 2 / 3.0, 2 / 3.0});
    assertThat(flat.shown(flat.traces().getFirst(), new double[] {2 / 3.0})[0])
        .isCloseTo(2 / 3.0, within(1e-4));
  }
}
