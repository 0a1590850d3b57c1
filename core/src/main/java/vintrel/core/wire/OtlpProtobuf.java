package vintrel.core.wire;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.chunk.Leb128;
import vintrel.core.series.Admission;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;

/**
 * OTLP metrics as protocol buffers (opentelemetry.io/docs/specs/otlp, collector/metrics/v1).
 *
 * <p>Gauges and sums become one series each; of distributions see {@link Distribution}. A sum that
 * is not monotonic is a gauge. Sums and histograms of delta temporality are added up. What makes
 * the labels of a series is decided by {@link OtlpNames}; docs/sending.md explains it to senders.
 */
public final class OtlpProtobuf {
  private static final int DELTA = 1;
  private static final int NO_VALUE = 1;

  /** Encoded bytes of a resource or scope; one that is larger has more labels than are kept. */
  private static final int MAX_SHARED = 4 * Admission.MAX_LABELS;

  private final SeriesCache cache;
  private final SampleSink intake;
  private final byte[] source;
  private final SeriesCache.Key key = new SeriesCache.Key(512);

  /** Used for one metric, its data and its point after the other: there are very many. */
  private ProtoBytes metricCursor;

  private ProtoBytes dataCursor;
  private ProtoBytes pointCursor;

  private OtlpProtobuf(byte[] source, SeriesCache cache, SampleSink intake) {
    this.source = source;
    this.cache = cache;
    this.intake = intake;
  }

  /**
   * Reads an ExportMetricsServiceRequest.
   *
   * @throws WireException if the bytes are not one; what was read before is with the intake, which
   *     must not keep it then
   */
  public static void read(byte[] bytes, SeriesCache cache, SampleSink intake) {
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
        scopeMetrics(in.inner(), Holder.of(resource));
      } else {
        in.skip();
      }
    }
  }

  /** A resource or a scope; its attributes are read once for all points that it holds. */
  private static final class Holder {
    final ProtoBytes in;
    private TreeMap<String, String> attributes;
    private Map<String, String> labels;

    private Holder(ProtoBytes in) {
      this.in = in;
    }

    static Holder of(ProtoBytes in) {
      return in == null ? null : new Holder(in);
    }

    static boolean tooLarge(Holder holder) {
      return holder != null && holder.in.end - holder.in.at > MAX_SHARED;
    }

    /** Of a resource: those of its attributes that become labels. */
    Map<String, String> labels(SampleSink sink) {
      if (labels == null) {
        labels = sink.resources().labels(attributes(1), sink);
      }
      return labels;
    }

    TreeMap<String, String> attributes(int field) {
      if (attributes == null) {
        attributes = new TreeMap<>();
        OtlpProtobuf.attributes(copy(in), field, attributes);
      }
      return attributes;
    }
  }

  private void scopeMetrics(ProtoBytes in, Holder resource) {
    int from = in.at;
    ProtoBytes scope = null;
    while (in.next()) {
      if (in.is(1, 2)) {
        scope = in.inner();
      } else {
        in.skip();
      }
    }
    in.at = from;
    while (in.next()) {
      if (in.is(2, 2)) {
        metricCursor = in.inner(metricCursor);
        metric(metricCursor, resource, Holder.of(scope));
      } else {
        in.skip();
      }
    }
  }

  /** One metric's head, known before its points are read. */
  private static final class Metric {
    Holder resource;
    Holder scope;
    String name;
    String unit;
    int nameStart;
    int nameStop;
    int unitStart;
    int unitStop;
    MetricKind kind;
    boolean delta;
  }

  private void metric(ProtoBytes in, Holder resource, Holder scope) {
    var m = new Metric();
    m.resource = resource;
    m.scope = scope;
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
        dataCursor = in.inner(dataCursor);
        data = dataCursor;
        dataField = in.field;
      } else {
        in.skip();
      }
    }
    if (!description.isEmpty() && m.nameStop > m.nameStart) {
      boolean histogram = dataField == 9 || dataField == 10;
      OtlpNames.describe(intake, name(m), histogram, dataField == 11, description);
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
    if (m.nameStop - m.nameStart > 3 * Admission.MAX_METRIC) {
      intake.refuse(points, Admission.fault(name(m), Labels.NONE, ""));
      return;
    }
    if (Holder.tooLarge(m.resource) || Holder.tooLarge(m.scope)) {
      intake.refuse(name(m), points, "a resource or scope of more than " + MAX_SHARED + " bytes");
      return;
    }
    m.kind =
        field >= 9
            ? MetricKind.HISTOGRAM
            : field == 7 && monotonic ? MetricKind.COUNTER : MetricKind.GAUGE;
    m.delta &= field != 5 && field != 11;
    begin(m, field);
    data.at = from;
    while (data.next()) {
      if (!data.is(1, 2)) {
        data.skip();
        continue;
      }
      key.toMark();
      pointCursor = data.inner(pointCursor);
      switch (field) {
        case 9 -> histogramPoint(m, pointCursor);
        case 10 -> exponentialPoint(m, pointCursor);
        case 11 -> summaryPoint(m, pointCursor);
        default -> numberPoint(m, pointCursor);
      }
    }
  }

  /** Begins the cache's key with all that the points of a metric share. */
  private void begin(Metric m, int field) {
    key.clear();
    key.add(cache.store());
    key.add(m.kind.ordinal() + (m.delta ? 16 : 0) + 32 * field);
    for (var part : new Holder[] {m.resource, m.scope}) {
      if (part == null) {
        key.add(0);
      } else {
        key.add(part.in.bytes, part.in.at, part.in.end);
      }
    }
    key.add(source, m.nameStart, m.nameStop);
    key.add(source, m.unitStart, m.unitStop);
    key.mark();
  }

  private void numberPoint(Metric m, ProtoBytes in) {
    int from = in.at;
    long nanos = 0;
    long start = 0;
    List<int[]> exemplars = null;
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
        exemplars = in.is(5, 2) ? noted(exemplars, in) : exemplars;
        in.skip();
      }
    }
    exemplars(m, in, from, 7, exemplars);
    boolean ends = (flags & NO_VALUE) != 0;
    if (nanos <= 0 || !has && !ends) {
      intake.refuse(
          name(m), 1, nanos <= 0 ? "a data point without a time" : "a data point without a value");
      return;
    }
    int id = cache.get(key.seal());
    if (id < 0) {
      in.at = from;
      id = intake.series(new SeriesKey(name(m), labels(m, in, 7)), m.kind, unit(m));
      cache.put(key, id);
    }
    if (ends) {
      intake.sample(id, nanos / 1_000_000, Double.NaN);
      return;
    }
    put(m, id, m.kind == MetricKind.COUNTER, new When(start / 1_000_000, nanos / 1_000_000), value);
  }

  /** Where an exemplar lies; few points have any. */
  private static List<int[]> noted(List<int[]> some, ProtoBytes in) {
    var out = some == null ? new ArrayList<int[]>() : some;
    out.add(new int[] {in.start, in.stop});
    return out;
  }

  /**
   * Passes on the exemplars of a point.
   *
   * @param attributes number of the field that the point's labels are in
   * @param found where they lie, or null
   */
  private void exemplars(Metric m, ProtoBytes in, int from, int attributes, List<int[]> found) {
    if (found == null) {
      return;
    }
    in.at = from;
    var labels = labels(m, in, attributes);
    for (var place : found) {
      intake.take(Exemplar.read(new ProtoBytes(in.bytes, place[0], place[1]), name(m), labels));
    }
  }

  private void put(Metric m, int id, boolean grows, When when, double value) {
    if (m.delta) {
      intake.difference(id, when.start(), when.time(), value, grows);
      return;
    }
    if (grows && when.start() > 0) {
      intake.began(id, when.start(), when.time());
    }
    intake.sample(id, when.time(), value);
  }

  private String name(Metric m) {
    if (m.name == null) {
      m.name = new String(source, m.nameStart, m.nameStop - m.nameStart, StandardCharsets.UTF_8);
    }
    return m.name;
  }

  private String unit(Metric m) {
    if (m.unit == null) {
      var sent = new String(source, m.unitStart, m.unitStop - m.unitStart, StandardCharsets.UTF_8);
      m.unit = OtlpNames.unit(sent);
    }
    return m.unit;
  }

  private Labels labels(Metric m, ProtoBytes point, int attributeField) {
    var out = new OtlpNames();
    if (m.resource != null) {
      out.resource.putAll(m.resource.labels(intake));
    }
    if (m.scope != null) {
      var in = copy(m.scope.in);
      while (in.next()) {
        if (in.is(1, 2)) {
          out.scopeName = in.text();
        } else if (in.is(2, 2)) {
          out.scopeVersion = in.text();
        } else {
          in.skip();
        }
      }
      out.scope.putAll(m.scope.attributes(3));
    }
    attributes(point, attributeField, out.point);
    return out.labels();
  }

  private static ProtoBytes copy(ProtoBytes in) {
    return new ProtoBytes(in.bytes, in.at, in.end);
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
          value = OtlpLogs.attribute(OtlpLogBytes.value(pair.inner(), 0));
        } else {
          pair.skip();
        }
      }
      if (!name.isEmpty()) {
        into.put(OtlpNames.label(name), value);
      }
    }
  }

  /** When a point's count started (0: unknown), and when it was read; ms. */
  private record When(long start, long time) {}

  /** Numbers of the fields that distributions have; 0 if one has none. */
  private record Fields(
      int attributes, int sum, int flags, int flagsType, int exemplars, int min, int max) {}

  private static final Fields HISTOGRAM = new Fields(9, 5, 10, 0, 8, 11, 12);
  private static final Fields EXPONENTIAL = new Fields(1, 5, 10, 0, 11, 12, 13);
  private static final Fields SUMMARY = new Fields(7, 5, 8, 0, 0, 0, 0);

  /** What the kinds of distributions have in common. */
  private final class Point {
    final Metric m;
    final ProtoBytes in;
    final int from;
    final Fields fields;
    final Distribution d = new Distribution();
    long nanos;
    long start;
    long flags;
    List<int[]> exemplars;

    Point(Metric m, ProtoBytes in, Fields fields) {
      this.m = m;
      this.in = in;
      this.from = in.at;
      this.fields = fields;
    }

    /** Reads a field that is common to all; skips unknown ones. */
    void common() {
      if (in.is(fields.attributes(), 2)) {
        key.add(in.bytes, in.start, in.stop);
      } else if (in.is(3, 1)) {
        nanos = in.fixed64();
      } else if (in.is(2, 1)) {
        start = in.fixed64();
      } else if (in.is(4, 1)) {
        d.count = in.fixed64();
      } else if (in.is(fields.sum(), 1)) {
        d.sum = Double.longBitsToDouble(in.fixed64());
      } else if (in.is(fields.min(), 1)) {
        d.min = Double.longBitsToDouble(in.fixed64());
      } else if (in.is(fields.max(), 1)) {
        d.max = Double.longBitsToDouble(in.fixed64());
      } else if (in.is(fields.flags(), fields.flagsType())) {
        flags = in.varint();
      } else {
        exemplars = in.is(fields.exemplars(), 2) ? noted(exemplars, in) : exemplars;
        in.skip();
      }
    }

    /** Whether there is something to take; refuses it with a reason if not. */
    boolean good(String fault) {
      OtlpProtobuf.this.exemplars(m, in, from, fields.attributes(), exemplars);
      if ((flags & NO_VALUE) != 0) {
        return false;
      }
      var why = nanos <= 0 ? "a data point without a time" : fault;
      if (why != null) {
        intake.refuse(name(m), 1, why);
      }
      return why == null;
    }

    Distribution.Part parts() {
      return new Parts(this, key.length, new When(start / 1_000_000, nanos / 1_000_000));
    }
  }

  /** The series of a distribution's numbers. */
  private final class Parts implements Distribution.Part {
    private final Point point;
    private final int prefix;
    private final When when;

    Parts(Point point, int prefix, When when) {
      this.point = point;
      this.prefix = prefix;
      this.when = when;
    }

    private int id(String suffix, String label, String value, boolean total) {
      key.length = prefix;
      key.add(suffix.hashCode());
      if (value != null) {
        var bytes = value.getBytes(StandardCharsets.UTF_8);
        key.add(bytes, 0, bytes.length);
      }
      int id = cache.get(key.seal());
      if (id < 0) {
        var m = point.m;
        point.in.at = point.from;
        var labels = labels(m, point.in, point.fields.attributes());
        id = OtlpNames.series(intake, name(m), unit(m), labels, suffix, label, value, total);
        cache.put(key, id);
      }
      return id;
    }

    @Override
    public void put(String suffix, String label, String value, boolean total, double number) {
      OtlpProtobuf.this.put(point.m, id(suffix, label, value, total), total, when, number);
    }

    @Override
    public void join(String bound, String beside, boolean lower) {
      int other = id("bucket", "le", beside, true);
      intake.joins(id("bucket", "le", bound, true), other, lower, when.time());
    }
  }

  private void histogramPoint(Metric m, ProtoBytes in) {
    var p = new Point(m, in, HISTOGRAM);
    p.d.count = 0;
    while (in.next()) {
      if (in.is(6, 2)) {
        p.d.counts = Arrays.stream(packed(in)).asDoubleStream().toArray();
      } else if (in.is(7, 2)) {
        p.d.bounds = Arrays.stream(packed(in)).mapToDouble(Double::longBitsToDouble).toArray();
      } else {
        p.common();
      }
    }
    if (p.good(p.d.unfit())) {
      p.d.histogram(p.parts());
    }
  }

  private void exponentialPoint(Metric m, ProtoBytes in) {
    var p = new Point(m, in, EXPONENTIAL);
    while (in.next()) {
      if (in.is(6, 0)) {
        p.d.scale = (int) Leb128.unzigzag(in.varint());
      } else if (in.is(7, 1)) {
        p.d.zeroCount = in.fixed64();
      } else if (in.is(14, 1)) {
        p.d.zeroThreshold = Double.longBitsToDouble(in.fixed64());
      } else if (in.is(8, 2) || in.is(9, 2)) {
        buckets(p.d, in.field == 8, in.inner());
      } else {
        p.common();
      }
    }
    if (p.good(p.d.fault())) {
      p.d.exponential(
          p.parts(),
          () -> {
            in.at = p.from;
            var labels = labels(m, in, EXPONENTIAL.attributes());
            return intake.bounds(new SeriesKey(name(m) + ".bucket", labels));
          },
          m.delta);
    }
  }

  private static void buckets(Distribution d, boolean positive, ProtoBytes in) {
    int offset = 0;
    double[] counts = {};
    int n = 0;
    while (in.next()) {
      if (in.is(1, 0)) {
        offset = (int) Leb128.unzigzag(in.varint());
      } else if (in.is(2, 2)) {
        var packed = in.inner();
        while (packed.at < packed.end && n <= Distribution.MAX_BUCKETS) {
          counts = n == counts.length ? Arrays.copyOf(counts, Math.max(16, 2 * n)) : counts;
          counts[n++] = packed.varint();
        }
      } else {
        in.skip();
      }
    }
    if (positive) {
      d.positiveOffset = offset;
      d.positive = Arrays.copyOf(counts, n);
    } else {
      d.negativeOffset = offset;
      d.negative = Arrays.copyOf(counts, n);
    }
  }

  private void summaryPoint(Metric m, ProtoBytes in) {
    var p = new Point(m, in, SUMMARY);
    while (in.next()) {
      if (in.is(6, 2)) {
        quantile(p.d, in.inner());
      } else {
        p.common();
      }
    }
    if (p.good(p.d.quantiles.length > Distribution.MAX_QUANTILES ? Distribution.QUANTILES : null)) {
      p.d.summary(p.parts());
    }
  }

  private static void quantile(Distribution d, ProtoBytes in) {
    double q = 0;
    double v = 0;
    while (in.next()) {
      if (in.is(1, 1)) {
        q = Double.longBitsToDouble(in.fixed64());
      } else if (in.is(2, 1)) {
        v = Double.longBitsToDouble(in.fixed64());
      } else {
        in.skip();
      }
    }
    int n = d.quantiles.length;
    if (n > Distribution.MAX_QUANTILES) {
      return;
    }
    d.quantiles = Arrays.copyOf(d.quantiles, n + 1);
    d.values = Arrays.copyOf(d.values, n + 1);
    d.quantiles[n] = q;
    d.values[n] = v;
  }

  private static long[] packed(ProtoBytes in) {
    int n = (in.stop - in.start) / 8;
    var out = new long[n];
    for (int i = 0; i < n; i++) {
      out[i] = ProtoBytes.fixed64(in.bytes, in.start + 8 * i);
    }
    return out;
  }
}
