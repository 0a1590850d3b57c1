package vintrel.server.show;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.ZoneId;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.panel.Asked;
import vintrel.core.panel.Drawing;
import vintrel.core.panel.TimeChart;
import vintrel.core.picture.Palette;
import vintrel.core.series.Labels;
import vintrel.server.ask.PictureJson;

/** What a page puts together is what was drawn, whatever became of the points meanwhile. */
class AppendingTest {
  private static final int PITCH = 10_000;

  private static Drawing.Chart chart(long from, double[][] series, boolean envelope) {
    var times = new long[series[0].length];
    Arrays.setAll(times, i -> from + (long) PITCH * i);
    var columns = new ArrayList<Column>();
    columns.add(new Column.Time("time", times));
    for (int i = 0; i < series.length; i++) {
      var low = envelope ? Arrays.stream(series[i]).map(v -> v - 1).toArray() : null;
      var high = envelope ? Arrays.stream(series[i]).map(v -> v + 1).toArray() : null;
      columns.add(
          new Column.Number("s" + i, "", Labels.of("n", "" + i), series[i].clone(), low, high));
    }
    var asked =
        new Asked(
            List.of(),
            List.of(new Frame("", columns)),
            List.of(),
            from,
            from + (long) PITCH * times.length,
            ZoneId.of("UTC"),
            "",
            List.of(),
            600,
            200,
            540,
            170,
            new Palette());
    return (Drawing.Chart) TimeChart.DEFAULT.draw(asked);
  }

  /** As the page's script does it. */
  private static List<double[]> joined(List<double[]> old, List<double[]> rest, List<int[]> keeps) {
    var out = new ArrayList<double[]>();
    for (int i = 0; i < rest.size(); i++) {
      if (keeps == null || rest.get(i) == null) {
        out.add(rest.get(i));
        continue;
      }
      int from = keeps.get(i)[0];
      int n = keeps.get(i)[1];
      var all =
          Arrays.copyOf(Arrays.copyOfRange(old.get(i), from, from + n), n + rest.get(i).length);
      System.arraycopy(rest.get(i), 0, all, n, rest.get(i).length);
      out.add(all);
    }
    return out;
  }

  private static List<double[]> values(Drawing drawing) {
    return ((Drawing.Chart) drawing).picture().traces().stream().map(t -> t.values()).toList();
  }

  private static List<double[]> lows(Drawing drawing) {
    return ((Drawing.Chart) drawing).picture().traces().stream().map(t -> t.low()).toList();
  }

  private static List<String> told(Drawing drawing) {
    var picture = PictureJson.of(((Drawing.Chart) drawing).picture());
    return picture.traces().stream().map(t -> t.told().values()).toList();
  }

  /** As {@code joinTexts} of the page's script does it. */
  private static List<String> joinedTexts(List<String> old, Appending.Part part) {
    var rest = told(part.drawing());
    if (part.keeps() == null) {
      return rest;
    }
    var out = new ArrayList<String>();
    for (int i = 0; i < rest.size(); i++) {
      int from = part.keeps().get(i)[0];
      int n = part.keeps().get(i)[1];
      var all =
          n == 0
              ? new ArrayList<String>()
              : new ArrayList<>(List.of(old.get(i).split("\\|", -1)).subList(from, from + n));
      if (values(part.drawing()).get(i).length > 0) {
        all.add(rest.get(i));
      }
      out.add(String.join("|", all));
    }
    return out;
  }

  @Test
  void randomChangesOfTheDataAreAllSent() {
    var random = new Random(3);
    for (int n = 0; n < 300; n++) {
      var appending = new Appending();
      var data = new double[1 + random.nextInt(3)][20];
      for (var s : data) {
        Arrays.setAll(s, i -> random.nextInt(5));
      }
      long from = 0;
      long has = 0;
      boolean envelope = random.nextBoolean();
      var mine = new ArrayList<double[]>();
      var mineLow = new ArrayList<double[]>();
      var texts = List.<String>of();
      for (int turn = 0; turn < 8; turn++) {
        var drawn = chart(from, data, envelope);
        // A page that missed an answer has an older version.
        long said = random.nextInt(6) == 0 ? 0 : has;
        var part = appending.part("key", drawn, said);
        if (said == 0) {
          assertThat(part.keeps()).isNull();
        }
        var values = joined(mine, values(part.drawing()), part.keeps());
        var low = joined(mineLow, lows(part.drawing()), part.keeps());
        texts = joinedTexts(texts, part);
        assertThat(texts).isEqualTo(told(drawn));
        for (int i = 0; i < data.length; i++) {
          assertThat(values.get(i)).containsExactly(data[i]);
          if (envelope) {
            assertThat(low.get(i))
                .containsExactly(Arrays.stream(data[i]).map(v -> v - 1).toArray());
          }
        }
        mine = new ArrayList<>(values);
        mineLow = new ArrayList<>(low);
        has = part.version();
        int by = random.nextInt(3);
        from += (long) by * PITCH;
        for (int i = 0; i < data.length; i++) {
          data[i] = Arrays.copyOf(Arrays.copyOfRange(data[i], by, 20), 20);
          // The last buckets change, and now and then a late sample changes an old one.
          data[i][19] = random.nextInt(5);
          if (random.nextInt(4) == 0) {
            data[i][random.nextInt(20)] =
                new double[] {Double.NaN, 9, 1.25, 70_000}[random.nextInt(4)];
          }
        }
      }
    }
  }

  @Test
  void onlyTheNewPointsAreSentWhereNothingElseChanged() {
    var appending = new Appending();
    var first = new double[][] {{1.5, 2, 3, 4, 5, 6, 7, 8}};
    var one = appending.part("k", chart(0, first, false), 0);
    var next = new double[][] {{2, 3, 4, 5, 6, 7, 8.5, 9}};
    var two = appending.part("k", chart(PITCH, next, false), one.version());
    assertThat(two.keeps().getFirst()).containsExactly(1, 6);
    assertThat(values(two.drawing()).getFirst()).containsExactly(8.5, 9);
    // Larger numbers are written in another way: those before them, too.
    var large = new double[][] {{3, 4, 5, 6, 7, 8.5, 9, 90_000}};
    var three = appending.part("k", chart(2 * PITCH, large, false), two.version());
    assertThat(three.keeps().getFirst()).containsExactly(0, 0);
    assertThat(told(three.drawing()).getFirst())
        .startsWith("0.003|0.004|0.005|")
        .endsWith("|90.00");
    // Another page has nothing yet, and what is no chart is sent as it is.
    assertThat(appending.part("other", chart(PITCH, next, false), two.version()).keeps()).isNull();
    var text = new Drawing.Text("note", "", "");
    assertThat(appending.part("k", text, 3).drawing()).isSameAs(text);
  }
}
