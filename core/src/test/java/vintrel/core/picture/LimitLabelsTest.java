package vintrel.core.picture;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.picture.LimitLabels.Label;
import vintrel.core.picture.LimitLabels.Limit;

class LimitLabelsTest {
  @Test
  void aLoneLabelIsAboveItsLineAtTheEndAndBelowItAtTheTop() {
    assertThat(LimitLabels.place(List.of(new Limit(50, "above 50 %")), 0, 100, 400, 200))
        .containsExactly(new Label("above 50 %", true, 0, 0));
    assertThat(LimitLabels.place(List.of(new Limit(99, "above 99 %")), 0, 100, 400, 200))
        .containsExactly(new Label("above 99 %", false, 0, 0));
  }

  @Test
  void labelsOfCloseLinesPartAndOneBetweenThemStandsOverThePlot() {
    var two = List.of(new Limit(50, "low"), new Limit(53, "high"));
    assertThat(LimitLabels.place(two, 0, 100, 400, 200))
        .containsExactly(new Label("low", false, 0, 0), new Label("high", true, 0, 0));
    var three = List.of(new Limit(50, "low"), new Limit(52, "middle"), new Limit(53, "high"));
    assertThat(LimitLabels.place(three, 0, 100, 400, 200))
        .containsExactly(
            new Label("low", false, 0, 0),
            new Label("middle", true, 0, 1),
            new Label("high", true, 0, 0));
    assertThat(LimitLabels.place(List.of(new Limit(7, "a"), new Limit(7, "b")), 0, 10, 400, 200))
        .extracting(Label::row)
        .containsExactly(0, 0);
  }

  @Test
  void aLabelAvoidsTheLinesOfSeriesAndStandsOverThePlotIfTheyAreEverywhere() {
    var one = List.of(new Limit(50, "limit"));
    assertThat(placed(one, (left, right, top, bottom) -> right > 300 && top < 100))
        .containsExactly(new Label("limit", false, 0, 0));
    assertThat(placed(one, (left, right, top, bottom) -> right > 300))
        .containsExactly(new Label("limit", true, 100, 0));
    var two = List.of(new Limit(50, "limit"), new Limit(80, "other"));
    assertThat(placed(two, (left, right, top, bottom) -> true))
        .containsExactly(new Label("limit", true, 66, 1), new Label("other", true, 0, 1));
  }

  /** What finds no room in the rows either is not lost: its words stand with another's. */
  @Test
  void rowsOverThePlotAreFewAndKeepAllWords() {
    var many = IntStream.range(0, 9).mapToObj(i -> new Limit(i + 1, "above " + i)).toList();
    var labels = LimitLabels.place(many, 0, 10, 150, 100, h -> (left, right, top, bottom) -> true);
    assertThat(labels).allMatch(l -> l.row() >= 1 && l.row() <= 2);
    assertThat(labels.stream().map(Label::text).collect(Collectors.joining(", ")))
        .contains(many.stream().map(Limit::text).toList());
  }

  private static List<Label> placed(List<Limit> limits, LimitLabels.Ink ink) {
    return LimitLabels.place(limits, 0, 100, 400, 200, height -> ink);
  }

  /**
   * Whatever the limits and the series: no label lies over a line, a bar or another label, and all
   * words are there. What is drawn is followed px by px.
   */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void labelsCrossNothing(long seed) {
    var random = new Random(seed);
    int beside = 0;
    for (int round = 0; round < 300; round++) {
      int width = 120 + random.nextInt(800);
      int height = 60 + random.nextInt(300);
      var limits = new ArrayList<Limit>();
      for (int i = 0; i < 1 + random.nextInt(6); i++) {
        limits.add(new Limit(random.nextInt(40) / 4.0, "above %d".formatted(i)));
      }
      var strokes = new ArrayList<PictureInk.Stroke>();
      for (int i = 0; i < random.nextInt(4); i++) {
        strokes.add(stroke(random));
      }
      var labels =
          LimitLabels.place(
              limits, 0, 10, width, height, h -> new PictureInk(strokes, 0, SPAN, width, h));
      var as = "seed %d, round %d".formatted(seed, round);
      int rows = labels.stream().mapToInt(Label::row).max().orElse(0);
      var boxes = boxes(limits, labels, width, height - 15 * rows);
      for (int i = 0; i < boxes.size(); i++) {
        var b = boxes.get(i);
        assertThat(b[0]).as(as).isGreaterThanOrEqualTo(-1);
        for (var o : boxes.subList(0, i)) {
          assertThat(b[1] <= o[0] + 1 || b[0] >= o[1] - 1 || b[3] <= o[2] || b[2] >= o[3])
              .as(as)
              .isTrue();
        }
        for (var l : limits) {
          double line = (height - 15 * rows) * (10 - l.value()) / 10;
          assertThat(line < b[2] || line > b[3]).as(as).isTrue();
        }
        for (var s : strokes) {
          assertThat(meets(s, b, width, height - 15 * rows)).as(as).isFalse();
        }
      }
      beside += boxes.size();
      var words = labels.stream().map(Label::text).collect(Collectors.joining(", "));
      assertThat(words).as(as).contains(limits.stream().map(Limit::text).toList());
    }
    assertThat(beside).isGreaterThan(200);
  }

  private static final long SPAN = 1_000;

  /** A line with gaps, some joined, or bars. */
  private static PictureInk.Stroke stroke(Random random) {
    int n = 2 + random.nextInt(60);
    var times = new long[n];
    var values = new double[n];
    for (int i = 0; i < n; i++) {
      times[i] = SPAN * i / n;
      values[i] = random.nextInt(5) == 0 ? Double.NaN : random.nextDouble() * 4 + 3;
    }
    var joined =
        random.nextBoolean()
            ? IntStream.range(1, n - 1).filter(i -> Double.isNaN(values[i])).toArray()
            : new int[0];
    var trace =
        new Picture.Trace("", "", 0, 0, false, null, times, values, joined, null, null, null, null);
    var axis = new Axis(0, 10, List.of(), null);
    return new PictureInk.Stroke(
        trace,
        axis,
        random.nextBoolean(),
        1 + random.nextInt(19),
        random.nextInt(3) == 0 ? new double[] {0} : null);
  }

  /** Left, right, top and bottom of the labels in the plot, px. */
  private static List<double[]> boxes(
      List<Limit> limits, List<Label> labels, int width, int height) {
    var out = new ArrayList<double[]>();
    for (int i = 0; i < labels.size(); i++) {
      var label = labels.get(i);
      if (label.row() == 0) {
        double y = height * (10 - limits.get(i).value()) / 10;
        double top = label.above() ? y - LimitLabels.AWAY - LimitLabels.TALL : y + LimitLabels.AWAY;
        double right = width - label.shift();
        double left = right - label.text().length() * LimitLabels.CHARACTER;
        out.add(new double[] {left, right, top, top + LimitLabels.TALL});
      }
    }
    return out;
  }

  /** Walks along what is drawn, straight or in the two ways of steps, in parts of a px. */
  private static boolean meets(PictureInk.Stroke s, double[] box, int width, int height) {
    var times = s.trace().times();
    var values = s.trace().values();
    var joined = Arrays.stream(s.trace().joined()).boxed().toList();
    int before = -1;
    for (int i = 0; i < times.length; i++) {
      if (Double.isNaN(values[i])) {
        before = joined.contains(i) ? before : -1;
        continue;
      }
      double x = (double) width * times[i] / SPAN;
      double y = height * (10 - values[i]) / 10;
      if (s.bars() != null) {
        double next = (double) width * (times[i] + times[1] - times[0]) / SPAN;
        for (double px = x; px <= next; px += 0.5) {
          if (px > box[0] && px < box[1] && height > box[2] && y < box[3]) {
            return true;
          }
        }
      } else if (before >= 0) {
        double x0 = (double) width * times[before] / SPAN;
        double y0 = height * (10 - values[before]) / 10;
        for (double part = 0; part <= 1; part += 0.002) {
          double straight = y0 + part * (y - y0);
          for (var at :
              new double[][] {{x0 + part * (x - x0), straight}, {x0, straight}, {x, straight}}) {
            boolean drawn = s.loose() || at[0] != x0 && at[0] != x;
            double r = s.wide() / 2;
            if (drawn
                && at[0] + r > box[0]
                && at[0] - r < box[1]
                && at[1] + r > box[2]
                && at[1] - r < box[3]) {
              return true;
            }
          }
        }
      }
      before = i;
    }
    return false;
  }
}
