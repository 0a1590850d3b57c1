package vintrel.core.picture;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.picture.LimitLabels.Label;
import vintrel.core.picture.LimitLabels.Limit;

class LimitLabelsTest {
  @Test
  void aLoneLabelIsAboveItsLineAtTheEndAndBelowItAtTheTop() {
    assertThat(LimitLabels.place(List.of(new Limit(50, "above 50 %")), 0, 100, 400, 200))
        .containsExactly(new Label("above 50 %", true, 0));
    assertThat(LimitLabels.place(List.of(new Limit(99, "above 99 %")), 0, 100, 400, 200))
        .containsExactly(new Label("above 99 %", false, 0));
  }

  @Test
  void labelsOfCloseLinesPartAndOneBetweenThemJoinsANeighbour() {
    var two = List.of(new Limit(50, "low"), new Limit(53, "high"));
    assertThat(LimitLabels.place(two, 0, 100, 400, 200))
        .containsExactly(new Label("low", false, 0), new Label("high", true, 0));
    var three = List.of(new Limit(50, "low"), new Limit(52, "middle"), new Limit(53, "high"));
    assertThat(LimitLabels.place(three, 0, 100, 400, 200))
        .extracting(Label::text)
        .containsExactly("low", "", "high, middle");
    assertThat(LimitLabels.place(List.of(new Limit(7, "a"), new Limit(7, "b")), 0, 10, 400, 200))
        .extracting(Label::text)
        .containsExactly("a", "b");
  }

  @Test
  void aLabelAvoidsTheLinesOfSeriesAsLongAsThereIsAnotherPlace() {
    var one = List.of(new Limit(50, "limit"));
    LimitLabels.Ink above = (left, right, top, bottom) -> right > 300 && top < 100;
    assertThat(LimitLabels.place(one, 0, 100, 400, 200, above))
        .containsExactly(new Label("limit", false, 0));
    LimitLabels.Ink atTheEnd = (left, right, top, bottom) -> right > 300;
    assertThat(LimitLabels.place(one, 0, 100, 400, 200, atTheEnd))
        .containsExactly(new Label("limit", true, 100));
    LimitLabels.Ink everywhere = (left, right, top, bottom) -> true;
    assertThat(LimitLabels.place(one, 0, 100, 400, 200, everywhere))
        .containsExactly(new Label("limit", true, 0));
  }

  /** Whatever the lines: no label lies over a line or another label, and all words are there. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void labelsCrossNothing(long seed) {
    var random = new Random(seed);
    for (int round = 0; round < 500; round++) {
      int width = 120 + random.nextInt(800);
      int height = 60 + random.nextInt(300);
      var limits = new ArrayList<Limit>();
      for (int i = 0; i < 1 + random.nextInt(6); i++) {
        limits.add(new Limit(random.nextInt(40) / 4.0, "above %d".formatted(i)));
      }
      var labels = LimitLabels.place(limits, 0, 10, width, height);
      var boxes = new ArrayList<double[]>();
      for (int i = 0; i < labels.size(); i++) {
        var label = labels.get(i);
        if (label.text().isEmpty()) {
          continue;
        }
        double y = height * (10 - limits.get(i).value()) / 10;
        double top = label.above() ? y - LimitLabels.AWAY - LimitLabels.TALL : y + LimitLabels.AWAY;
        double right = width - label.shift();
        var own = limits.get(i).text();
        double left = right - own.length() * LimitLabels.CHARACTER;
        assertThat(left).isGreaterThanOrEqualTo(-1);
        for (var l : limits) {
          double line = height * (10 - l.value()) / 10;
          assertThat(line < top || line > top + LimitLabels.TALL)
              .as("seed %d, round %d", seed, round)
              .isTrue();
        }
        for (var b : boxes) {
          boolean apart =
              right <= b[0] + 1
                  || left >= b[1] - 1
                  || top + LimitLabels.TALL <= b[2]
                  || top >= b[3];
          assertThat(apart).as("seed %d, round %d", seed, round).isTrue();
        }
        boxes.add(new double[] {left, right, top, top + LimitLabels.TALL});
      }
      var words = labels.stream().map(Label::text).reduce("", (a, b) -> a + ", " + b);
      boolean any = labels.stream().anyMatch(l -> !l.text().isEmpty());
      limits.forEach(l -> assertThat(!any || words.contains(l.text())).isTrue());
    }
  }
}
