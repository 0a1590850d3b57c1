package vintrel.demo;

/** Deterministic noise and the shape of the operator's days. All values depend on seed and time. */
final class Noise {
  private static final long DAY = 86_400_000;
  private static final double[] SAILINGS = {7.2, 9.5, 12.1, 15.4, 18.2, 20.6};

  private Noise() {}

  /** Even in [-1, 1). */
  static double white(long seed, long tick) {
    long z = seed * 0x9E3779B97F4A7C15L + tick * 0xD1B54A32D192ED03L;
    z = (z ^ (z >>> 30)) * 0xBF58476D1CE4E5B9L;
    z = (z ^ (z >>> 27)) * 0x94D049BB133111EBL;
    z ^= z >>> 31;
    return (z >> 11) * 0x1.0p-52;
  }

  /**
   * Wandering in about [-1, 1], with a period in ms: white noise at each period, joined smoothly.
   */
  static double slow(long seed, long time, long period) {
    long tick = Math.floorDiv(time, period);
    double part = Math.floorMod(time, period) / (double) period;
    double smooth = part * part * (3 - 2 * part);
    return white(seed, tick) * (1 - smooth) + white(seed, tick + 1) * smooth;
  }

  /** How busy the quays are, 0.05 to about 1: high before each sailing, low at night. */
  static double sailings(long time) {
    double hour = Math.floorMod(time, DAY) / 3_600_000.0;
    double sum = 0.05;
    for (double s : SAILINGS) {
      double d = hour - s + 0.35;
      sum += Math.exp(-d * d / 0.5) * (s > 6 && s < 19 ? 0.85 : 0.55);
    }
    return sum * (weekend(time) ? 1.25 : 1);
  }

  /** How many people look at the web pages, 0.1 to 1: a broad day with an evening peak. */
  static double web(long time) {
    double hour = Math.floorMod(time, DAY) / 3_600_000.0;
    double day = Math.exp(-Math.pow((hour - 11.5) / 4, 2)) * 0.7;
    double evening = Math.exp(-Math.pow((hour - 19.8) / 2.2, 2)) * 0.9;
    return 0.1 + (day + evening) * (weekend(time) ? 1.2 : 1);
  }

  private static boolean weekend(long time) {
    long weekday = Math.floorMod(Math.floorDiv(time, DAY) + 3, 7);
    return weekday >= 5;
  }
}
