package vintrel.core.wire;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.TreeMap;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;

/**
 * OTLP metrics as protocol buffers (opentelemetry.io/docs/specs/otlp, collector/metrics/v1).
 *
 * <p>Gauges and sums become one series each; a histogram becomes the counters {@code NAME.bucket}
 * (cumulative over its bounds, label le), {@code NAME.count} and {@code NAME.sum}. A sum that is
 * not monotonic is a gauge. Sums and histograms of delta temporality are added up.
 */
public final class OtlpProtobuf {
  private static final int DELTA = 1;
  private static final int NO_VALUE = 1;

  private final SeriesCache cache;
  private final Intake intake;
  private final byte[] source;
  private final SeriesCache.Key key = new SeriesCache.Key(512);

  private OtlpProtobuf(byte[] source, SeriesCache cache, Intake intake) {
    this.source = source;
    this.cache = cache;
    this.intake = intake;
  }

  /**
   * Reads an ExportMetricsServiceRequest.
   *
   * @throws WireException where the bytes are not one; what was read before is with the intake,
   *     which must not keep it then
   */
  public static void read(byte[] bytes, SeriesCache cache, Intake intake) {
    var reader = new OtlpProtobuf(bytes, cache, intake);
    var in = new ProtoBytes(bytes, 0, bytes.length);
    while (in.next()) {
      if (in.is(1, 2)) {
        reader.resourceMetrics(in.inner());
      } else {
        in.skip();
      }
    }
  }

  private void resourceMetrics(ProtoBytes in) {
    int from = in.at;
    ProtoBytes resource = null;
    while (in.next()) {
      if (in.is(1, 2)) {
        resource = in.inner();
      } else {
        in.skip();
      }
    }
    in.at = from;
    while (in.next()) {
      if (in.is(2, 2)) {
        scopeMetrics(in.inner(), resource);
      } else {
        in.skip();
      }
    }
  }

  private void scopeMetrics(ProtoBytes in, ProtoBytes resource) {
    while (in.next()) {
      if (in.is(2, 2)) {
        metric(in.inner(), resource);
      } else {
        in.skip();
      }
    }
  }

  /** One metric's head, known before its points are read. */
  private static final class Metric {
    ProtoBytes resource;
    int nameStart;
    int nameStop;
    int unitStart;
    int unitStop;
    MetricKind kind;
    boolean delta;
  }

  private void metric(ProtoBytes in, ProtoBytes resource) {
    var m = new Metric();
    m.resource = resource;
    ProtoBytes data = null;
    int dataField = 0;
    String description = "";
    while (in.next()) {
      if (in.is(1, 2)) {
        m.nameStart = in.start;
        m.nameStop = in.stop;
      } else if (in.is(2, 2)) {
        description = in.text();
      } else if (in.is(3, 2)) {
        m.unitStart = in.start;
        m.unitStop = in.stop;
      } else if (in.type == 2
          && (in.field == 5 || in.field == 7 || in.field >= 9 && in.field <= 11)) {
        data = in.inner();
        dataField = in.field;
      } else {
        in.skip();
      }
    }
    if (!description.isEmpty() && m.nameStop > m.nameStart) {
      var name = new String(source, m.nameStart, m.nameStop - m.nameStart, StandardCharsets.UTF_8);
      intake.describe(name, description);
    }
    if (data != null) {
      data(m, data, dataField);
    }
  }

  private void data(Metric m, ProtoBytes data, int field) {
    int from = data.at;
    int points = 0;
    boolean monotonic = false;
    while (data.next()) {
      if (data.is(2, 0)) {
        m.delta = data.varint() == DELTA;
      } else if (data.is(3, 0)) {
        monotonic = data.varint() != 0;
      } else {
        points += data.is(1, 2) ? 1 : 0;
        data.skip();
      }
    }
    if (m.nameStop == m.nameStart) {
      intake.refuse(points, "a metric without a name");
      return;
    }
    if (field == 10 || field == 11) {
      intake.refuse(
          points,
          (field == 10 ? "exponential histograms" : "summaries")
              + " are not taken; send histograms");
      return;
    }
    m.kind =
        field == 9
            ? MetricKind.HISTOGRAM
            : field == 7 && monotonic ? MetricKind.COUNTER : MetricKind.GAUGE;
    data.at = from;
    while (data.next()) {
      if (!data.is(1, 2)) {
        data.skip();
      } else if (field == 9) {
        histogramPoint(m, data.inner());
      } else {
        numberPoint(m, data.inner());
      }
    }
  }

  /** Begins the cache's key with all that the points of a metric share. */
  private void begin(Metric m) {
    key.clear();
    key.add(m.kind.ordinal());
    if (m.resource != null) {
      key.add(m.resource.bytes, m.resource.at, m.resource.end);
    }
    key.add(source, m.nameStart, m.nameStop);
    key.add(source, m.unitStart, m.unitStop);
  }

  private void numberPoint(Metric m, ProtoBytes in) {
    int from = in.at;
    begin(m);
    long nanos = 0;
    long start = 0;
    double value = Double.NaN;
    boolean has = false;
    long flags = 0;
    while (in.next()) {
      if (in.is(7, 2)) {
        key.add(in.bytes, in.start, in.stop);
      } else if (in.is(3, 1)) {
        nanos = in.fixed64();
      } else if (in.is(2, 1)) {
        start = in.fixed64();
      } else if (in.is(4, 1)) {
        value = Double.longBitsToDouble(in.fixed64());
        has = true;
      } else if (in.is(6, 1)) {
        value = in.fixed64();
        has = true;
      } else if (in.is(8, 0)) {
        flags = in.varint();
      } else {
        in.skip();
      }
    }
    if ((flags & NO_VALUE) != 0) {
      return;
    }
    if (nanos <= 0 || !has) {
      intake.refuse(1, nanos <= 0 ? "a data point without a time" : "a data point without a value");
      return;
    }
    int id = cache.get(key.seal());
    if (id < 0) {
      in.at = from;
      id = intake.series(new SeriesKey(name(m), labels(m, in, 7)), m.kind, unit(m));
      cache.put(key, id);
    }
    long time = nanos / 1_000_000;
    if (m.kind != MetricKind.COUNTER) {
      intake.sample(id, time, value);
    } else {
      total(m, id, start / 1_000_000, time, value);
    }
  }

  /** A value that grows; start is 0 where the sender does not say it. */
  private void total(Metric m, int id, long start, long time, double value) {
    if (start > 0 && !m.delta) {
      intake.began(id, start, time);
    }
    intake.sample(id, time, m.delta ? intake.total(id, value) : value);
  }

  private String name(Metric m) {
    return new String(source, m.nameStart, m.nameStop - m.nameStart, StandardCharsets.UTF_8);
  }

  private String unit(Metric m) {
    return new String(source, m.unitStart, m.unitStop - m.unitStart, StandardCharsets.UTF_8);
  }

  private Labels labels(Metric m, ProtoBytes point, int attributeField) {
    var map = new TreeMap<String, String>();
    if (m.resource != null) {
      attributes(new ProtoBytes(m.resource.bytes, m.resource.at, m.resource.end), 1, map);
    }
    attributes(point, attributeField, map);
    return Labels.of(map);
  }

  private static void attributes(ProtoBytes in, int field, TreeMap<String, String> into) {
    while (in.next()) {
      if (!in.is(field, 2)) {
        in.skip();
        continue;
      }
      var pair = in.inner();
      String name = "";
      String value = "";
      while (pair.next()) {
        if (pair.is(1, 2)) {
          name = pair.text();
        } else if (pair.is(2, 2)) {
          value = value(pair.inner());
        } else {
          pair.skip();
        }
      }
      if (!name.isEmpty()) {
        into.put(OtlpNames.label(name), value);
      }
    }
  }

  /** Texts, truth values, integers and numbers; lists and maps are left out. */
  private static String value(ProtoBytes in) {
    String out = "";
    while (in.next()) {
      if (in.is(1, 2)) {
        out = in.text();
      } else if (in.is(2, 0)) {
        out = in.varint() != 0 ? "true" : "false";
      } else if (in.is(3, 0)) {
        out = Long.toString(in.varint());
      } else if (in.is(4, 1)) {
        out = Double.toString(Double.longBitsToDouble(in.fixed64()));
      } else {
        in.skip();
      }
    }
    return out;
  }

  private void histogramPoint(Metric m, ProtoBytes in) {
    int from = in.at;
    begin(m);
    long nanos = 0;
    long start = 0;
    double sum = Double.NaN;
    double count = 0;
    long[] counts = {};
    double[] bounds = {};
    while (in.next()) {
      if (in.is(9, 2)) {
        key.add(in.bytes, in.start, in.stop);
      } else if (in.is(3, 1)) {
        nanos = in.fixed64();
      } else if (in.is(2, 1)) {
        start = in.fixed64();
      } else if (in.is(4, 1)) {
        count = in.fixed64();
      } else if (in.is(5, 1)) {
        sum = Double.longBitsToDouble(in.fixed64());
      } else if (in.is(6, 2)) {
        counts = packed(in);
      } else if (in.is(7, 2)) {
        bounds = Arrays.stream(packed(in)).mapToDouble(Double::longBitsToDouble).toArray();
      } else {
        in.skip();
      }
    }
    if (nanos <= 0 || (counts.length > 0 && counts.length != bounds.length + 1)) {
      intake.refuse(
          1,
          nanos <= 0 ? "a data point without a time" : "a histogram with unlike bounds and counts");
      return;
    }
    var when = new When(start / 1_000_000, nanos / 1_000_000);
    int prefix = key.length;
    part(m, in, from, prefix, "count", null, when, count);
    if (!Double.isNaN(sum)) {
      part(m, in, from, prefix, "sum", null, when, sum);
    }
    double running = 0;
    for (int i = 0; i < counts.length; i++) {
      running += counts[i];
      double bound = i < bounds.length ? bounds[i] : Double.POSITIVE_INFINITY;
      part(m, in, from, prefix, "bucket", bound, when, running);
    }
  }

  /** Since when a point counts (0: not said), and when it was read; ms. */
  private record When(long start, long time) {}

  private static long[] packed(ProtoBytes in) {
    int n = (in.stop - in.start) / 8;
    var out = new long[n];
    for (int i = 0; i < n; i++) {
      out[i] = ProtoBytes.fixed64(in.bytes, in.start + 8 * i);
    }
    return out;
  }

  private void part(
      Metric m,
      ProtoBytes in,
      int from,
      int prefix,
      String suffix,
      Double bound,
      When when,
      double value) {
    key.length = prefix;
    key.add(suffix.charAt(0));
    key.add(bound == null ? 0 : Double.hashCode(bound));
    int id = cache.get(key.seal());
    if (id < 0) {
      in.at = from;
      var labels = labels(m, in, 9);
      if (bound != null) {
        labels = labels.with("le", OtlpNames.bound(bound));
      }
      String unit = suffix.equals("sum") ? unit(m) : "";
      id = intake.series(new SeriesKey(name(m) + "." + suffix, labels), m.kind, unit);
      cache.put(key, id);
    }
    total(m, id, when.start(), when.time(), value);
  }
}
