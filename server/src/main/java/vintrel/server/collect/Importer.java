package vintrel.server.collect;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.nio.charset.StandardCharsets;
import java.util.BitSet;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.function.LongConsumer;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.StoreBusyException;
import vintrel.core.wire.BoundedReader;
import vintrel.core.wire.CsvSamples;
import vintrel.core.wire.Exemplar;
import vintrel.core.wire.OpenMetricsText;
import vintrel.core.wire.SampleSink;
import vintrel.core.wire.WireException;

/** A document of any length into a store, some ten thousand samples at a time. */
final class Importer implements SampleSink {
  private static final int AT_ONCE = 50_000;
  private static final int TRIES = 60;

  /** Reasons that are listed; most have a row of their own. */
  private static final int MAX_REASONS = 10_000;

  private final StoreSampleSink.Opener opener;
  private final LongConsumer progress;
  private StoreSampleSink part;
  private int inPart;
  private long accepted;
  private long refused;
  private String why = "";
  private final Map<String, Long> reasons = new LinkedHashMap<>();
  private String metric = "";
  private final BitSet first = new BitSet();
  private long from = Long.MAX_VALUE;
  private long to = Long.MIN_VALUE;

  /** Opens the way into the store for each part. */
  Importer(StoreSampleSink.Opener opener, LongConsumer progress) {
    this.opener = opener;
    this.progress = progress;
    this.part = opener.open();
  }

  /** What became of a document; {@code why} is the first reason of a refusal, or empty. */
  record Outcome(long accepted, long refused, String why) {}

  /** Each reason of a rejection with its number of rows, in the order of the document. */
  Map<String, Long> reasons() {
    return reasons;
  }

  /** The first metric of the document, or empty. */
  String metric() {
    return metric;
  }

  /** Times of the first and of the last sample of {@link #metric}, ms; from > to for none. */
  long from() {
    return from;
  }

  long to() {
    return to;
  }

  /**
   * Reads a document to its end.
   *
   * @param format csv or openmetrics
   * @param now the time of samples that carry none
   * @throws WireException if it is of another format; what was read before is kept
   */
  Outcome read(InputStream in, String format, long now) throws IOException {
    var text = new BufferedReader(new InputStreamReader(in, StandardCharsets.UTF_8), 65536);
    try {
      switch (format) {
        case "csv" -> CsvSamples.read(text, this, now);
        case "openmetrics" -> {
          var reader = new OpenMetricsText(Labels.NONE, now, this);
          var lines = new BoundedReader(text);
          for (var line = lines.line(); line != null; line = lines.line()) {
            reader.take(line);
          }
          reader.end();
        }
        default ->
            throw new WireException("`format` must be csv or openmetrics, not `" + format + "`");
      }
    } finally {
      keep();
    }
    return new Outcome(accepted, refused, why);
  }

  @Override
  public int series(SeriesKey key, MetricKind kind, String unit) {
    metric = metric.isEmpty() ? key.metric() : metric;
    int id = part.series(key, kind, unit);
    if (id >= 0 && metric.equals(key.metric())) {
      // Readers ask once for each series and go on with its number.
      first.set(id);
    }
    return id;
  }

  @Override
  public void sample(int series, long time, double value) {
    if (series >= 0 && first.get(series)) {
      from = Math.min(from, time);
      to = Math.max(to, time);
    }
    part.sample(series, time, value);
    if (++inPart == AT_ONCE) {
      keep();
    }
  }

  @Override
  public void began(int series, long start, long time) {
    part.began(series, start, time);
  }

  @Override
  public void difference(int series, long start, long time, double by, boolean grows) {
    part.difference(series, start, time, by, grows);
  }

  @Override
  public void exemplars(int n) {
    part.exemplars(n);
  }

  @Override
  public void exemplar(Exemplar exemplar) {
    part.exemplar(exemplar);
  }

  @Override
  public void refuse(String metric, int points, String reason) {
    refused += points;
    why = why.isEmpty() ? reason : why;
    if (!reason.isEmpty() && (reasons.size() < MAX_REASONS || reasons.containsKey(reason))) {
      reasons.merge(reason, (long) points, Long::sum);
    }
  }

  private void keep() {
    for (int i = 1; ; i++) {
      try {
        var outcome = part.keep();
        accepted += outcome.receipt().accepted();
        refuse(outcome.refused(), outcome.told());
        break;
      } catch (StoreBusyException e) {
        if (i == TRIES) {
          throw e;
        }
        pause(e.retrySeconds());
      }
    }
    part = opener.open();
    inPart = 0;
    progress.accept(accepted);
  }

  private static void pause(int seconds) {
    try {
      Thread.sleep(seconds * 1000L);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new StoreBusyException("the import was stopped", 0);
    }
  }
}
