package vintrel.bench;

import java.time.ZoneOffset;
import java.util.Arrays;
import java.util.Random;
import vintrel.core.model.Band;
import vintrel.core.model.Baseline;

/**
 * How well expected bands find planted outliers: precision and recall of incidents on generated
 * series, beside the plain band of the query language and a fixed limit.
 */
final class BandBench {
  private static final long STEP = Baseline.STEP;
  private static final int A_DAY = (int) (86_400_000 / STEP);
  private static final int LEARN = 28 * A_DAY;
  private static final int TEST = 7 * A_DAY;
  private static final int SERIES = 60;
  private static final int INCIDENTS = 5;

  /** Checks in a row that make an alert, as an on-delay of half an hour does. */
  private static final int IN_A_ROW = 2;

  private BandBench() {}

  private enum Shape {
    DAILY,
    WEEKLY,
    BURSTS,
    FLAT,
    COUNTS
  }

  private record Made(double[] values, double[] noise, boolean[] planted, int[][] incidents) {}

  static void run() {
    System.out.println();
    System.out.println(
        "| expected band, %d weeks learned, 1 week judged, %d series a shape, %d incidents each | precision | recall | false alerts a week and series |"
            .formatted(LEARN / A_DAY / 7, SERIES, INCIDENTS));
    System.out.println("|---|---|---|---|");
    for (var shape : Shape.values()) {
      for (double width : new double[] {3, 4, 6}) {
        row(shape, "outside-band %.0f".formatted(width), made -> baseline(made, width));
      }
      row(shape, "`band 4 seasonal 1d`", made -> seasonal(made, 4));
      row(shape, "fixed limits at 0.5 and 99.5 in 100", BandBench::fixed);
    }
  }

  private interface Judge {
    boolean[] outside(Made made);
  }

  private static void row(Shape shape, String name, Judge judge) {
    int found = 0;
    int planted = 0;
    int alerts = 0;
    int wrong = 0;
    for (int s = 0; s < SERIES; s++) {
      var made = made(shape, s);
      var out = judge.outside(made);
      planted += made.incidents.length;
      for (var i : made.incidents) {
        found += alertIn(out, i[0], i[1] + IN_A_ROW) ? 1 : 0;
      }
      int run = 0;
      for (int i = LEARN; i < out.length; i++) {
        run = out[i] ? run + 1 : 0;
        if (run == IN_A_ROW) {
          alerts++;
          wrong += near(made.planted, i) ? 0 : 1;
        }
      }
    }
    System.out.printf(
        "| %s, %s | %.2f | %.2f | %.2f |%n",
        shape.name().toLowerCase(java.util.Locale.ROOT),
        name,
        alerts == 0 ? 1 : (double) (alerts - wrong) / alerts,
        (double) found / planted,
        (double) wrong / SERIES);
  }

  private static boolean near(boolean[] planted, int at) {
    for (int i = Math.max(0, at - IN_A_ROW - 1); i <= at; i++) {
      if (planted[i]) {
        return true;
      }
    }
    return false;
  }

  private static boolean alertIn(boolean[] out, int from, int to) {
    int run = 0;
    for (int i = from; i < Math.min(to, out.length); i++) {
      run = out[i] ? run + 1 : 0;
      if (run == IN_A_ROW) {
        return true;
      }
    }
    return false;
  }

  private static boolean[] baseline(Made made, double width) {
    var out = new boolean[made.values.length];
    Baseline b = null;
    for (int i = LEARN; i < out.length; i++) {
      if ((i - LEARN) % A_DAY == 0) {
        var learned = Arrays.copyOfRange(made.values, i - LEARN, i);
        b = Baseline.learn((i - LEARN) * STEP, STEP, learned, ZoneOffset.UTC);
      }
      out[i] = Math.abs(made.values[i] - b.expected(i * STEP)) > width * b.sigma(i * STEP);
    }
    return out;
  }

  private static boolean[] seasonal(Made made, double width) {
    var bounds = Band.of(made.values, A_DAY, width);
    var out = new boolean[made.values.length];
    for (int i = LEARN; i < out.length; i++) {
      out[i] = made.values[i] < bounds.lower()[i] || made.values[i] > bounds.upper()[i];
    }
    return out;
  }

  private static boolean[] fixed(Made made) {
    var sorted = Arrays.copyOf(made.values, LEARN);
    Arrays.sort(sorted);
    double low = sorted[LEARN / 200];
    double high = sorted[LEARN - 1 - LEARN / 200];
    var out = new boolean[made.values.length];
    for (int i = LEARN; i < out.length; i++) {
      out[i] = made.values[i] < low || made.values[i] > high;
    }
    return out;
  }

  private static double truth(Shape shape, int i) {
    double day = 2 * Math.PI * (i % A_DAY) / A_DAY;
    boolean weekend = i / A_DAY % 7 == 2 || i / A_DAY % 7 == 3;
    return switch (shape) {
      case DAILY -> 100 + 50 * Math.sin(day) + 20 * Math.sin(2 * day);
      case WEEKLY -> (weekend ? 0.5 : 1) * (100 + 50 * Math.sin(day));
      case BURSTS -> i % A_DAY >= 8 && i % A_DAY < 14 ? 90 : 20;
      case FLAT -> 40;
      case COUNTS -> 2 + 2 * Math.sin(day);
    };
  }

  /** Noise whose width goes with the value, slow and quick; five incidents in the last week. */
  private static Made made(Shape shape, int seed) {
    var random = new Random(shape.ordinal() * 1_000L + seed);
    int n = LEARN + TEST;
    var values = new double[n];
    var noise = new double[n];
    double slow = 0;
    for (int i = 0; i < n; i++) {
      slow = 0.8 * slow + 0.6 * random.nextGaussian();
      double truth = truth(shape, i);
      noise[i] = shape == Shape.COUNTS ? Math.sqrt(truth + 0.5) : 2 + truth * 0.04;
      values[i] = truth + noise[i] * (0.7 * slow + 0.7 * random.nextGaussian());
      values[i] = shape == Shape.COUNTS ? Math.max(0, Math.rint(values[i])) : values[i];
    }
    var planted = new boolean[n];
    // What was before is spoilt, too: three incidents that nobody left out.
    for (int k = 0; k < 3; k++) {
      plant(random, values, noise, planted, random.nextInt(LEARN - 40));
    }
    var incidents = new int[INCIDENTS][];
    for (int k = 0; k < INCIDENTS; k++) {
      int room = TEST / INCIDENTS;
      int at = LEARN + k * room + random.nextInt(room - 24);
      incidents[k] = new int[] {at, plant(random, values, noise, planted, at)};
    }
    return new Made(values, noise, planted, incidents);
  }

  /** Eight to twelve times the noise, up or down, for 45 min to 4 h; returns its end. */
  private static int plant(
      Random random, double[] values, double[] noise, boolean[] planted, int at) {
    int end = at + 3 + random.nextInt(13);
    double size = (8 + 4 * random.nextDouble()) * (random.nextBoolean() ? 1 : -1);
    for (int i = at; i < end; i++) {
      values[i] += size * noise[i];
      planted[i] = true;
    }
    return end;
  }
}
