package vintrel.core.wire;

import java.util.HexFormat;
import vintrel.core.series.Labels;

/**
 * A measurement that leads to the trace it was made in.
 *
 * @param labels of the data point
 * @param time ms since the epoch
 * @param traceId hexadecimal, 32 digits
 * @param spanId hexadecimal, or empty
 */
public record Exemplar(
    String metric, Labels labels, long time, double value, String traceId, String spanId) {
  private static final int TRACE = 16;
  private static final int SPAN = 8;

  /** One of an OTLP message, or null if it names no trace: opentelemetry.proto.metrics.v1. */
  static Exemplar read(ProtoBytes in, String metric, Labels labels) {
    long nanos = 0;
    double value = Double.NaN;
    var trace = "";
    var span = "";
    while (in.next()) {
      if (in.is(2, 1)) {
        nanos = in.fixed64();
      } else if (in.is(3, 1)) {
        value = Double.longBitsToDouble(in.fixed64());
      } else if (in.is(6, 1)) {
        value = in.fixed64();
      } else if (in.is(5, 2)) {
        trace = hex(in, TRACE);
      } else if (in.is(4, 2)) {
        span = hex(in, SPAN);
      } else {
        in.skip();
      }
    }
    return of(metric, labels, nanos / 1_000_000, value, trace, span);
  }

  private static String hex(ProtoBytes in, int bytes) {
    return in.stop - in.start == bytes ? HexFormat.of().formatHex(in.bytes, in.start, in.stop) : "";
  }

  /** One of a text, or null if it names no trace, no time or no value. */
  static Exemplar of(
      String metric, Labels labels, long time, double value, String traceId, String spanId) {
    boolean valid =
        traceId.matches("[0-9a-fA-F]{32}")
            && !traceId.matches("0+")
            && time > 0
            && Double.isFinite(value);
    return valid
        ? new Exemplar(
            metric,
            labels,
            time,
            value,
            traceId.toLowerCase(java.util.Locale.ROOT),
            spanId.matches("[0-9a-fA-F]{16}") ? spanId.toLowerCase(java.util.Locale.ROOT) : "")
        : null;
  }
}
