package vintrel.core.picture;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Instant;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;

class PictureTest {
  private static final ZoneId LONDON = ZoneId.of("Europe/London");

  @ParameterizedTest
  @CsvSource({
    "3600000, 300, 0, 15000",
    "3600000, 300, 60000, 60000",
    "604800000, 200, 0, 3600000",
    "60000, 600, 0, 1000"
  })
  void pitchesCanBeReadOffAClock(long range, int points, long interval, long pitch) {
    assertThat(Pitch.fitting(range, points, interval)).isEqualTo(pitch);
  }

  private static Column.Number series(String name, String unit, double... values) {
    return new Column.Number(name, unit, Labels.of("host", name), values, null, null);
  }

  private static Frame frame(String line, Column.Number... series) {
    var columns = new ArrayList<Column>();
    columns.add(new Column.Time("time", new long[] {0, 1000, 2000}));
    columns.addAll(List.of(series));
    return new Frame(line, columns);
  }

  private static Picture picture(List<Frame> frames, List<Frame> earlier) {
    return Picture.of(
        frames,
        0,
        3000,
        new Picture.Look(LONDON, "", new double[0], 600, 300, new Palette(), earlier, 60_000));
  }

  @Test
  void aSecondUnitHasAnAxisOfItsOwnAndAPlainNumberStaysOnTheFirst() {
    var p =
        picture(
            List.of(
                frame("busy", series("a", "%", 10, 20, 30)),
                frame("sent", series("a", "By/s", 1000, 2000, 9000)),
                frame("limit", series("limit", "", 25, 25, 25)),
                frame("more", series("c", "s", 1, 2, 3))),
            List.of());
    assertThat(p.traces()).extracting(Picture.Trace::axis).containsExactly(0, 1, 0, 2);
    assertThat(p.axis().max()).isBetween(30.0, 50.0);
    assertThat(p.second().max()).isGreaterThanOrEqualTo(9000);
    assertThat(p.secondUnit()).isEqualTo("By/s");
    // A third unit is not read off the scale of another.
    assertThat(p.more()).hasSize(1);
    assertThat(p.unitOf(2)).isEqualTo("s");
    assertThat(p.axisOf(2).max()).isBetween(3.0, 4.0);
    assertThat(p.traces())
        .extracting(Picture.Trace::name)
        .containsExactly("busy · a", "sent · a", "limit", "c");
    assertThat(picture(List.of(frame("x", series("a", "%", 1, 2, 3))), List.of()).second())
        .isNull();
  }

  @Test
  void valuesThatAreNoDenserAreJoinedAndGapsAreNot() {
    double none = Double.NaN;
    // Every 15 s on buckets of 10 s; then a gap of a minute.
    var times = new long[16];
    var values = new double[16];
    for (int i = 0; i < 16; i++) {
      times[i] = i * 10_000L;
      values[i] = i % 3 == 2 || i > 7 && i < 14 ? none : i;
    }
    var sparse = new Frame("", List.of(new Column.Time("time", times), series("a", "%", values)));
    assertThat(picture(List.of(sparse), List.of()).traces().getFirst().joined())
        .containsExactly(2, 5);
    var dense = values.clone();
    for (int i = 0; i < 16; i++) {
      dense[i] = i == 9 ? none : i;
    }
    var missing = new Frame("", List.of(new Column.Time("time", times), series("a", "%", dense)));
    assertThat(picture(List.of(missing), List.of()).traces().getFirst().joined()).isEmpty();
    var few = new double[16];
    java.util.Arrays.fill(few, none);
    few[4] = 1;
    few[10] = 2;
    var two = new Frame("", List.of(new Column.Time("time", times), series("a", "%", few)));
    assertThat(picture(List.of(two), List.of()).traces().getFirst().joined())
        .containsExactly(5, 6, 7, 8, 9);
  }

  @Test
  void anEarlierTimeHasTheColoursOfNow() {
    var now = frame("x", series("a", "%", 1, 2, 3), series("b", "%", 4, 5, 6));
    var p = picture(List.of(now), List.of(now));
    assertThat(p.traces().get(2).colour()).isEqualTo(p.traces().get(0).colour());
    assertThat(p.traces().get(3).colour()).isEqualTo(p.traces().get(1).colour());
    assertThat(p.traces())
        .extracting(Picture.Trace::earlier)
        .containsExactly(false, false, true, true);
  }

  @Test
  void aForecastMakesThePictureLongerAndATableIsNotDrawn() {
    var times = new Column.Time("time", new long[] {0, 1000, 2000, 3000, 4000, 5000});
    var ahead = new double[] {Double.NaN, Double.NaN, Double.NaN, 7, 8, 9};
    var forecast = new Frame("f", List.of(times, series("f", "%", ahead)));
    assertThat(picture(List.of(forecast), List.of()).to()).isEqualTo(6000);
    var table = new Frame("t", List.of(new Column.Text("gate", new String[] {"n"})));
    var empty = picture(List.of(table), List.of());
    assertThat(empty.traces()).isEmpty();
    assertThat(empty.to()).isPositive();
  }

  @Test
  void picturesOfAPageEndTogetherWhateverTheirBuckets() {
    var wide = new Column.Time("time", new long[] {-1_500, 0, 1_500, 2_900});
    var frame = new Frame("f", List.of(wide, series("f", "%", 1, 2, 3, 4)));
    assertThat(picture(List.of(frame), List.of()).from()).isZero();
    assertThat(picture(List.of(frame), List.of()).to()).isEqualTo(3_000);
  }

  @Test
  void copiesOfAPanelHaveOneColourForALine() {
    var palette = new Palette();
    var colours = new HashSet<Integer>();
    for (int i = 0; i < 8; i++) {
      var copy = palette.repeated(List.of("host " + i));
      var line = frame("busy", series("host " + i, "%", 1, 2, 3));
      colours.add(one(copy, line));
    }
    assertThat(colours).hasSize(1);
    // What has further labels is the same thing on every panel.
    var deck = Labels.of("host", "host 1", "deck", "2");
    var of = new Column.Number("2", "%", deck, new double[] {1, 2, 3}, null, null);
    assertThat(one(palette.repeated(List.of("host 1")), frame("busy", of)))
        .isEqualTo(one(palette, frame("load", of)));
  }

  private static int one(Palette palette, Frame frame) {
    var look = new Picture.Look(LONDON, "", new double[0], 600, 300, palette, List.of(), 0);
    return Picture.of(List.of(frame), 0, 3000, look).traces().getFirst().colour();
  }

  @Test
  void valueTicksAreRoundAndHoldTheData() {
    var axis = Axis.values(0.3, 92.5, "%", 4);
    assertThat(axis.ticks())
        .extracting(Axis.Tick::text)
        .containsExactly("0 %", "25 %", "50 %", "75 %", "100 %");
    assertThat(Axis.values(5, 5, "", 4).max()).isGreaterThan(5);
    assertThat(Axis.values(Double.POSITIVE_INFINITY, Double.NEGATIVE_INFINITY, "", 4).ticks())
        .isEmpty();
    assertThat(Axis.values(86e9, 91e9, "By", 4).ticks().getFirst().text()).isEqualTo("86 GB");
  }

  @Test
  void timeTicksStayOnTheLocalClockOverItsChange() {
    long from = Instant.parse("2026-03-28T22:00:00Z").toEpochMilli();
    var ticks = Axis.times(from, from + 15 * Durations.HOUR, LONDON, 6);
    assertThat(ticks)
        .extracting(Axis.Tick::text)
        .containsExactly("Sun 29 Mar", "03:00", "06:00", "09:00", "12:00");
  }

  @Test
  void aSeriesKeepsItsColourAndNeighboursDiffer() {
    var palette = new Palette();
    var first = palette.picture();
    var colours = new HashSet<Integer>();
    for (int i = 0; i < Palette.SIZE; i++) {
      colours.add(first.colour("host " + i));
    }
    assertThat(colours).hasSize(Palette.SIZE);
    int known = new Palette().picture().colour("host 3");
    assertThat(new Palette().picture().colour("host 3")).isEqualTo(known);
    var later = palette.picture();
    assertThat(later.colour("host 7")).isEqualTo(palette.picture().colour("host 7"));
  }

  /**
   * Ten colours, apart for normal and deficient sight, and with contrast of 3 to 1 on the sheet.
   */
  @Test
  void coloursAreToldApartUnderColourVisionDeficiencies() {
    check(Palette.DAY, "#fffdf8");
    check(Palette.NIGHT, "#182227");
  }

  private static void check(List<String> palette, String background) {
    assertThat(palette).hasSize(Palette.SIZE);
    for (var a : palette) {
      assertThat(ColourSight.contrast(a, background)).as(a).isGreaterThanOrEqualTo(3);
      for (var b : palette) {
        if (!a.equals(b)) {
          for (var sight : ColourSight.values()) {
            assertThat(sight.distance(a, b)).as("%s and %s, %s", a, b, sight).isGreaterThan(0.08);
          }
        }
      }
    }
  }

  @Test
  void bucketsThatTheRangeCutsAreTold() {
    var frame = frame("busy", series("a", "%", 1, 2, 3)).cutAtFirst(true);
    assertThat(frame.cutAtFirst(false).partial(1, 3000)).isEqualTo(Frame.Partial.NONE);
    assertThat(frame.partial(0, 3000)).isEqualTo(new Frame.Partial(false, false));
    assertThat(frame.partial(1, 3000)).isEqualTo(new Frame.Partial(true, false));
    assertThat(frame.partial(0, 2999)).isEqualTo(new Frame.Partial(false, true));
    assertThat(frame.partial(0, 2000)).as("a forecast goes on").isEqualTo(Frame.Partial.NONE);
    assertThat(new Frame("t", List.of(frame.columns().getFirst())).partial(5, 6))
        .isEqualTo(Frame.Partial.NONE);
    var p =
        Picture.of(
            List.of(frame),
            500,
            2500,
            new Picture.Look(LONDON, "", new double[0], 600, 300, new Palette(), List.of(), 0));
    assertThat(p.traces().getFirst().partial()).isEqualTo(new Frame.Partial(true, true));
  }
}
