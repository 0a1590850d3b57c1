package vintrel.bench;

import java.util.Random;
import vintrel.core.chunk.Samples;

/** The work of the architecture document: ten metrics a host, 10 s apart with jitter. */
final class Data {
  static final String[] METRICS = {
    "gauge.noisy",
    "gauge.slow",
    "gauge.percent",
    "counter.fast",
    "counter.slow",
    "counter.resets",
    "constant",
    "integer",
    "double.full",
    "double.walk"
  };

  private final Random random;
  private final int kind;
  private double level;

  Data(int kind, long seed) {
    this.kind = kind;
    this.random = new Random(seed);
    this.level = kind < 3 ? 50 : 0;
  }

  static boolean counter(int kind) {
    return kind >= 3 && kind <= 5;
  }

  double next() {
    return switch (kind) {
      case 0 -> Math.round((50 + 10 * random.nextGaussian()) * 10) / 10.0;
      case 1 -> level = Math.round((level + 0.1 * random.nextGaussian()) * 100) / 100.0;
      case 2 -> Math.round(Math.clamp(50 + 30 * random.nextGaussian(), 0, 100) * 10) / 10.0;
      case 3 -> level += random.nextInt(10_000);
      case 4 -> level += random.nextInt(4);
      case 5 -> level = random.nextInt(2000) == 0 ? 0 : level + random.nextInt(100);
      case 6 -> 1;
      case 7 -> random.nextInt(500);
      case 8 -> random.nextDouble();
      default -> level += random.nextGaussian();
    };
  }

  static Samples chunk(int kind, int n, boolean jitter) {
    var data = new Data(kind, kind);
    var random = new Random(99);
    var times = new long[n];
    var values = new double[n];
    for (int i = 0; i < n; i++) {
      times[i] = 1_795_000_000_000L + i * 10_000L + (jitter ? random.nextInt(101) - 50 : 0);
      values[i] = data.next();
    }
    return Samples.of(times, values);
  }
}
