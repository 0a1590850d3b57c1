package vintrel.core.series;

import java.util.Locale;

/** What the numbers of a metric mean, as OpenMetrics and OpenTelemetry use the words. */
public enum MetricKind {
  /** A reading that goes up and down. */
  GAUGE,
  /** A total that only grows, but for resets. */
  COUNTER,
  /** The bucket, count and sum counters of a distribution; the bucket's upper bound is label le. */
  HISTOGRAM,
  /** Which of a few states is active. */
  STATE;

  /** True for kinds whose samples are running totals. */
  public boolean cumulative() {
    return this == COUNTER || this == HISTOGRAM;
  }

  public String text() {
    return name().toLowerCase(Locale.ROOT);
  }
}
