package vintrel.server.collect;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.NavigableSet;
import java.util.Set;
import java.util.concurrent.ConcurrentSkipListSet;
import java.util.function.IntSupplier;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.series.Admission;
import vintrel.core.series.Condition;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.core.wire.Exemplar;
import vintrel.core.wire.ResourceRules;
import vintrel.core.wire.SampleSink;
import vintrel.server.store.LogStore;
import vintrel.server.store.MetricNotes;
import vintrel.server.web.TooManyException;

/** One request's samples on their way into a store. */
final class StoreSampleSink implements SampleSink {
  /** Opens intakes of one kind, one after the other. */
  interface Opener {
    StoreSampleSink open();
  }

  private static final int REFUSED = -1;

  /** Reasons, and metrics of each, that are named. */
  private static final int NAMED = 5;

  /** Exemplars of one request. */
  private static final int MAX_TRACES = 1_000;

  /** New descriptions of one request. */
  private static final int MAX_NOTES = 5_000;

  /** Farther from the first sample that is known of a series, what grew between is not known. */
  private static final long NEAR = 5 * Durations.MINUTE;

  private final SampleStore store;
  private final String named;
  private final Sender sender;
  private final SeriesBudget budget;
  private final Map<Integer, Double> differences = new HashMap<>();
  private final Map<Integer, Long> ends = new HashMap<>();
  private final CounterStarts starts;
  private final Map<Integer, Long> newStarts = new HashMap<>();
  private final Set<Integer> joined = new HashSet<>();
  private final Set<Delta> deltas = new HashSet<>();
  private final SampleBatch batch = new SampleBatch();
  private MetricNotes notes;
  private SourceBook book;
  private Resources resources;
  private ResourceRules rules = ResourceRules.ALL;
  private Labels added = Labels.NONE;
  private final Map<Labels, Map<String, String>> told = new LinkedHashMap<>();
  private IntSupplier limit;
  private int maxSeries;
  private final Map<String, String> newNotes = new LinkedHashMap<>();
  private final Map<String, Refusal> refusals = new LinkedHashMap<>();
  private int exemplars;
  private final Map<String, String> changed = new LinkedHashMap<>();
  private final List<Event> traces = new ArrayList<>();
  private LogStore logs;
  private Predicate<Exemplar> fresh;
  private String noSeries = "";
  private String noSeriesOf = "";

  /** A difference of this request, by where it ends. */
  private record Delta(int series, long time) {}

  /** Points that were refused for one reason, and some of their metrics. */
  private static final class Refusal {
    int points;
    final Set<String> metrics = new LinkedHashSet<>();
  }

  /**
   * @param named the store to write to
   * @param budget for new series, or null if there is no limit
   * @param starts what is known of sums; what this request adds counts only once it is kept, so
   *     that a request that is sent again is not counted twice
   */
  StoreSampleSink(
      SampleStore store, String named, Sender sender, SeriesBudget budget, CounterStarts starts) {
    this.starts = starts;
    this.store = store;
    this.named = named;
    this.sender = sender;
    this.budget = budget;
  }

  /** Parts the attributes of resources by the rules that hold for the sender. */
  StoreSampleSink with(Resources of) {
    resources = of;
    rules = of.rules(sender.token());
    return this;
  }

  @Override
  public ResourceRules resources() {
    return rules;
  }

  @Override
  public void resource(Labels labels, Map<String, String> aside) {
    if (resources != null && told.size() < MAX_NOTES) {
      told.put(labels, aside);
    }
  }

  /** Adds labels to series and exemplars that have none of that name. */
  void adding(Labels labels) {
    added = labels;
  }

  Labels added() {
    return added;
  }

  /** The key that a series is stored under. */
  private SeriesKey full(SeriesKey key) {
    var labels = key.labels().and(added);
    return key.store().equals(named) && labels.equals(key.labels())
        ? key
        : new SeriesKey(named, key.metric(), labels);
  }

  /** Passes on what senders say of their metrics. */
  StoreSampleSink with(MetricNotes where) {
    notes = where;
    return this;
  }

  String named() {
    return named;
  }

  /** Samples that were read so far. */
  int size() {
    return batch.size();
  }

  /** Ids of the series whose samples were read so far, each once, in order. */
  int[] ids() {
    return java.util.stream.IntStream.range(0, batch.size())
        .map(batch::series)
        .sorted()
        .distinct()
        .toArray();
  }

  Sender sender() {
    return sender;
  }

  /** Accounts for what is kept. */
  StoreSampleSink with(SourceBook sources) {
    book = sources;
    return this;
  }

  /**
   * Limits of the sender's own; null or 0 if it has none.
   *
   * @param seriesPerHour new series
   */
  StoreSampleSink limited(IntSupplier samplesPerSecond, int seriesPerHour) {
    limit = samplesPerSecond;
    maxSeries = seriesPerHour;
    return this;
  }

  @Override
  public int series(SeriesKey key, MetricKind kind, String unit) {
    var full = full(key);
    int known = store.find(full);
    if (known >= 0) {
      // Single values and tables have no kinds.
      if (sender.way().hasKinds && changed.size() < NAMED) {
        compare(store.catalog().get(known), kind, unit);
      }
      return known;
    }
    var fault = Admission.fault(full.metric(), full.labels(), unit);
    if (fault != null) {
      // Quoted in the reason, cut.
      noSeries = fault;
      noSeriesOf = "";
      return REFUSED;
    }
    var refusal = budget == null ? null : budget.refusal(full, sender.token(), maxSeries);
    if (refusal != null) {
      noSeries = refusal;
      noSeriesOf = full.metric();
      return REFUSED;
    }
    return store.resolve(full, kind, unit);
  }

  /** A series keeps what it was first; that its sender now says otherwise is told. */
  private void compare(Series known, MetricKind kind, String unit) {
    if (known == null) {
      return;
    }
    if (known.kind() != kind && !(known.kind() == MetricKind.STATE && kind == MetricKind.GAUGE)) {
      changed.putIfAbsent(
          known.metric(),
          "`%s` is stored as a %s but now sent as a %s; rename the new metric"
              .formatted(known.metric(), word(known.kind()), word(kind)));
    } else if (!unit.isEmpty() && !known.unit().isEmpty() && !unit.equals(known.unit())) {
      changed.putIfAbsent(
          known.metric(),
          "`%s` is stored in %s and now sent in %s; give the new one another name"
              .formatted(known.metric(), known.unit(), unit));
    }
  }

  private static String word(MetricKind kind) {
    return kind.name().toLowerCase(java.util.Locale.ROOT);
  }

  @Override
  public void sample(int series, long time, double value) {
    if (series == REFUSED) {
      refuse(noSeriesOf, 1, noSeries);
      return;
    }
    batch.add(series, time, value);
  }

  /**
   * A newer start is written as a sample of 0 at its time: rates then see a reset though the value
   * did not fall, and the first growth of a new series is not lost.
   */
  @Override
  public void began(int series, long start, long time) {
    if (series == REFUSED || start >= time || starts.get(series) == start) {
      return;
    }
    var known = newStarts.put(series, start);
    if (known != null && known == start) {
      return;
    }
    if (joined.contains(series)) {
      // It goes on from another bucket, not from zero.
      return;
    }
    long last = store.newest(series);
    if (last == Long.MIN_VALUE ? time - start <= NEAR : last < start) {
      batch.add(series, start, 0);
    }
  }

  /**
   * A bucket that is new goes on from the sample before of the bucket beside it, so that what it
   * grew by is what fell into it since, and not all that ever fell below it.
   */
  @Override
  public void joins(int series, int beside, boolean lower, long time) {
    if (series == REFUSED
        || beside == REFUSED
        || store.newest(series) != Long.MIN_VALUE
        || !joined.add(series)) {
      return;
    }
    long at = Long.MIN_VALUE;
    double total = 0;
    for (int i = batch.size() - 1; i >= 0 && at == Long.MIN_VALUE; i--) {
      if (batch.series(i) == beside && batch.time(i) < time) {
        at = batch.time(i);
        total = batch.value(i);
      }
    }
    if (at == Long.MIN_VALUE) {
      var before = store.before(store.catalog().get(beside), time);
      if (before.isEmpty()) {
        return;
      }
      at = before.times()[0];
      total = before.values()[0];
    }
    double base = lower ? total : 0;
    batch.add(series, at, base);
    starts.totals.put(series, base);
    ends.put(series, at);
  }

  /**
   * The sum so far goes on from the last stored value. If the sender gives the time since when the
   * difference counts, and that is not where the last one ended, the sum is placed at its start: so
   * the first difference of a series counts, and nothing is spread over a pause.
   */
  @Override
  public void difference(int series, long start, long time, double by, boolean grows) {
    if (series == REFUSED || !Double.isFinite(by)) {
      refuse(noSeriesOf, 1, series == REFUSED ? noSeries : "a difference that is no number");
      return;
    }
    long stored = store.newest(series);
    if (!deltas.add(new Delta(series, time)) || stored >= time && isStored(series, time)) {
      // Sent again, since its sender did not learn that it had arrived.
      return;
    }
    double before =
        starts.totals.computeIfAbsent(series, k -> stored == Long.MIN_VALUE ? 0 : last(k))
            + differences.getOrDefault(series, 0.0);
    long last = ends.getOrDefault(series, stored);
    boolean known = grows && start > 0 && start < time;
    if (known && (last == Long.MIN_VALUE || start - last > time - start)) {
      batch.add(series, start, before);
    }
    batch.add(series, time, before + by);
    differences.merge(series, by, Double::sum);
    ends.merge(series, time, Math::max);
  }

  /** Whether a difference up to a time was counted: its sum has a sample there. */
  private boolean isStored(int series, long time) {
    var of = store.catalog().get(series);
    return of != null && !store.read(List.of(of), time, time + 1).getFirst().isEmpty();
  }

  private double last(int series) {
    var known = store.catalog().get(series);
    var sample = store.before(known, Long.MAX_VALUE);
    return sample.isEmpty() ? 0 : sample.values()[0];
  }

  @Override
  public NavigableSet<Double> bounds(SeriesKey buckets) {
    var key = full(buckets);
    var known = starts.bounds.getIfPresent(key);
    if (known == null) {
      known = storedBounds(key);
    }
    // Again, since it may have grown.
    starts.bounds.put(key, known);
    return known;
  }

  private NavigableSet<Double> storedBounds(SeriesKey buckets) {
    var out = new ConcurrentSkipListSet<Double>();
    for (var s : store.select(named, buckets.metric(), Condition.ALL)) {
      var le = s.labels().get("le");
      if (le != null
          && !le.equals("+Inf")
          && s.labels().drop(List.of("le")).equals(buckets.labels())) {
        out.add(Double.parseDouble(le));
      }
    }
    return out;
  }

  @Override
  public void exemplars(int n) {
    exemplars += n;
  }

  /** Kept as a record, which the search of events finds by its trace. */
  @Override
  public void exemplar(Exemplar e) {
    if (logs == null || traces.size() >= MAX_TRACES) {
      exemplars++;
      return;
    }
    // A page shows its exemplars again and again, until others come.
    if (!fresh.test(e)) {
      return;
    }
    var fields = new LinkedHashMap<String, Object>();
    fields.put("trace_id", e.traceId());
    if (!e.spanId().isEmpty()) {
      fields.put("span_id", e.spanId());
    }
    fields.put("metric", e.metric());
    fields.put("value", e.value());
    traces.add(
        new Event(
            0,
            named,
            e.time(),
            "trace",
            "exemplar of " + e.metric() + ": " + e.value(),
            e.labels().drop(List.of("le")).and(added),
            JsonMapper.shared().writeValueAsString(fields)));
  }

  /**
   * Keeps exemplars with log records.
   *
   * @param isNew whether an exemplar was not seen lately
   */
  StoreSampleSink with(LogStore records, Predicate<Exemplar> isNew) {
    logs = records;
    fresh = isNew;
    return this;
  }

  @Override
  public void describe(String metric, String text) {
    if (notes != null && newNotes.size() < MAX_NOTES && notes.isNew(metric, text)) {
      newNotes.put(metric, text);
    }
  }

  @Override
  public void refuse(String metric, int points, String reason) {
    var refusal = refusals.computeIfAbsent(reason, k -> new Refusal());
    refusal.points += points;
    if (!metric.isEmpty()) {
      refusal.metrics.add(metric);
    }
  }

  /** Keeps what was read; waits until it is durable. */
  Outcome keep() {
    int wait = limit == null ? 0 : limit.getAsInt();
    if (wait > 0) {
      var why = "token `" + sender.token() + "` exceeds its limit of samples per second";
      if (book != null) {
        book.note(sender, 0, batch.size(), why);
      }
      throw new TooManyException(why, wait);
    }
    var receipt = store.append(batch);
    differences.forEach((series, d) -> starts.totals.merge(series, d, Double::sum));
    newStarts.forEach(starts::put);
    if (!newNotes.isEmpty()) {
      notes.put(newNotes);
    }
    told.forEach((labels, aside) -> resources.note(named, labels, aside));
    if (!traces.isEmpty()) {
      exemplars += logs.append(named, traces, sender.token()).rejected();
    }
    var of = receipt.refusedSeries() < 0 ? null : store.catalog().get(receipt.refusedSeries());
    var metric = of == null ? "" : of.metric();
    if (receipt.homeless() > 0) {
      refuse(
          metric,
          receipt.homeless(),
          "samples of a series that the database rejected or that was just removed");
    }
    if (receipt.tooOld() > 0) {
      refuse(
          metric,
          receipt.tooOld(),
          "samples too old: more than 1 h behind the latest sample of the series, or older than"
              + " their store keeps");
    }
    if (receipt.tooNew() > 0) {
      refuse(
          metric, receipt.tooNew(), "samples with a time in the future; check the sender's clock");
    }
    int refused = refusals.values().stream().mapToInt(r -> r.points).sum();
    var outcome =
        new Outcome(receipt, refused, why(), exemplars, String.join("; ", changed.values()));
    if (book != null) {
      book.note(sender, batch, outcome);
    }
    return outcome;
  }

  /** All reasons with the metrics that they are about. */
  private String why() {
    return refusals.entrySet().stream()
        .limit(NAMED)
        .map(e -> why(e.getKey(), e.getValue().metrics))
        .collect(Collectors.joining("; "));
  }

  private static String why(String reason, Set<String> metrics) {
    if (metrics.isEmpty()) {
      return reason;
    }
    var some = metrics.stream().limit(NAMED).map(m -> "`" + m + "`");
    int more = metrics.size() - NAMED;
    return reason
        + " ("
        + some.collect(Collectors.joining(", "))
        + (more > 0 ? " and " + more + " more" : "")
        + ")";
  }

  /**
   * @param refused data points that were not taken, of all reasons
   * @param why the reasons with some of the metrics, or empty
   * @param exemplars that came with data points and are not kept
   * @param changed metrics that were something else before, in words
   */
  record Outcome(Receipt receipt, int refused, String why, int exemplars, String changed) {
    Outcome(Receipt receipt, int refused, String why) {
      this(receipt, refused, why, 0, "");
    }

    /** All that the sender should know. */
    String told() {
      return why.isEmpty() || changed.isEmpty() ? why + changed : why + "; " + changed;
    }
  }
}
