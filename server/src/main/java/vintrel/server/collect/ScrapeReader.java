package vintrel.server.collect;

import java.io.IOException;
import java.net.InetAddress;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.util.Base64;
import java.util.HashMap;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import org.springframework.stereotype.Component;
import vintrel.core.collect.HttpAddress;
import vintrel.core.collect.LabelRewrite;
import vintrel.core.collect.RewritingSink;
import vintrel.core.collect.ScrapeDiagnosis;
import vintrel.core.collect.ScrapeJob;
import vintrel.core.collect.ScrapeJob.Target;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.wire.OpenMetricsText;
import vintrel.core.wire.SampleSink;
import vintrel.server.access.Vault;
import vintrel.server.web.OutboundGuard;
import vintrel.server.web.Outgoing;

/** Reads one target once, and stores what it answers. Any thread. */
@Component
class ScrapeReader {
  private static final String ACCEPT =
      "application/openmetrics-text; version=1.0.0, text/plain; q=0.5";

  /** Characters of an answer that are kept for people to look at. */
  private static final int HEAD = 600;

  private final SampleSinks sinks;
  private final OutboundGuard guard;
  private final Outgoing outgoing;
  private final Vault vault;
  private final Clock clock;

  ScrapeReader(
      SampleSinks sinks, OutboundGuard guard, Outgoing outgoing, Vault vault, Clock clock) {
    this.sinks = sinks;
    this.guard = guard;
    this.outgoing = outgoing;
    this.vault = vault;
    this.clock = clock;
  }

  /**
   * How a reading went.
   *
   * @param at ms since the epoch; 0 before the first
   * @param samples stored
   * @param dropped left out by the job's rewrite
   * @param fault empty if it went well
   * @param status of HTTP, 0 if there was no answer
   * @param type of the answer's content
   * @param head the first lines of an answer that could not be read, else empty
   */
  record Reading(
      long at,
      boolean up,
      long millis,
      int samples,
      int dropped,
      int bytes,
      String fault,
      int status,
      String type,
      String head) {
    static final Reading NONE = new Reading(0, false, 0, 0, 0, 0, "", 0, "", "");
  }

  /** The labels that all series of a target get. */
  static Labels labels(ScrapeJob job, Target target) {
    var own = new TreeMap<>(job.labels());
    own.putAll(target.labels());
    own.put("job", job.name());
    own.put("instance", instance(target));
    return Labels.of(own);
  }

  /** Host and port, and the path if it is not the usual one; never who signs in. */
  static String instance(Target target) {
    try {
      var uri = URI.create(target.url());
      if (uri.getHost() != null) {
        var path = uri.getPath();
        boolean usual = path.isEmpty() || path.equals("/metrics");
        var port = uri.getPort() < 0 ? "" : ":" + uri.getPort();
        var host = target.connectTo().isEmpty() ? uri.getHost() : bracketed(target.connectTo());
        return host + port + (usual ? "" : path);
      }
    } catch (IllegalArgumentException e) {
      // What is no address is named as it is written.
    }
    return OutboundGuard.shown(target.url());
  }

  private static String bracketed(String address) {
    return address.contains(":") ? "[" + address + "]" : address;
  }

  /**
   * Reads a target and stores its samples and the metrics about the reading. Series that its last
   * page had and this one has not, or all if there is no page, end with the time of the reading.
   */
  Reading read(ScrapeJob job, Target target, LastPage last) {
    var labels = labels(job, target);
    var sink = sinks.to(SeriesKey.MAIN, Sender.own(job.name(), Way.SCRAPE));
    var reading = read(job, target, labels, sink, null);
    end(last.next(reading.up() ? sink.ids() : LastPage.NONE, sinks.generation()), reading.at());
    note(labels, reading);
    return reading;
  }

  /** Ends the series of a target that is not read any more. */
  void end(LastPage last) {
    end(last.close(), clock.millis());
  }

  private void end(int[] series, long at) {
    var sink = sinks.own(SeriesKey.MAIN);
    for (int id : series) {
      sink.sample(id, at, Double.NaN);
    }
    keep(sink);
  }

  private static void keep(StoreSampleSink sink) {
    try {
      sink.keep();
    } catch (RuntimeException e) {
      // The page still shows the reading; the next one is noted again.
    }
  }

  /**
   * Reads a target without storing anything.
   *
   * @param seen is given each series with what the job's rewrite makes of it
   */
  Reading look(ScrapeJob job, Target target, BiConsumer<SeriesKey, LabelRewrite.Result> seen) {
    return read(job, target, labels(job, target), new Discarding(), seen);
  }

  private Reading read(
      ScrapeJob job,
      Target target,
      Labels labels,
      SampleSink to,
      BiConsumer<SeriesKey, LabelRewrite.Result> seen) {
    long at = clock.millis();
    long started = System.nanoTime();
    int samples = 0;
    int dropped = 0;
    boolean up = false;
    var fault = "";
    var head = "";
    Outgoing.Answer answer = null;
    try {
      answer = fetch(job, target);
      var page = new String(answer.body(), StandardCharsets.UTF_8);
      fault = ScrapeDiagnosis.ofAnswer(answer.status(), answer.type(), page);
      if (fault.isEmpty()) {
        var rewriting = new RewritingSink(job.rewrite(), to, seen);
        boolean complete = OpenMetricsText.read(page, labels, at, rewriting);
        dropped = rewriting.dropped();
        if (rewriting.samples() > job.maxSamples()) {
          fault =
              "the response has %,d samples; the limit is %,d (max-samples)"
                  .formatted(rewriting.samples(), job.maxSamples());
        } else {
          samples = rewriting.samples() - dropped;
          if (to instanceof StoreSampleSink sink) {
            var outcome = sink.keep();
            samples = outcome.receipt().accepted();
            fault = outcome.why();
          }
          up = complete || rewriting.samples() > 0;
        }
        if (!up && fault.isEmpty()) {
          fault = "the response has no samples";
        }
      }
      head = up ? "" : head(page);
    } catch (IOException | RuntimeException e) {
      fault = ScrapeDiagnosis.ofFault(e, job.timeout());
    }
    long millis = (System.nanoTime() - started) / 1_000_000;
    return new Reading(
        at,
        up,
        millis,
        samples,
        dropped,
        answer == null ? 0 : answer.body().length,
        fault,
        answer == null ? 0 : answer.status(),
        answer == null ? "" : answer.type(),
        head);
  }

  private static String head(String page) {
    return page.length() <= HEAD ? page : page.substring(0, HEAD) + "…";
  }

  private void note(Labels labels, Reading r) {
    var sink = sinks.own(SeriesKey.MAIN);
    note(sink, labels, r.at(), "up", MetricKind.STATE, "", r.up() ? 1 : 0);
    note(sink, labels, r.at(), "duration", MetricKind.GAUGE, "s", r.millis() / 1000.0);
    note(sink, labels, r.at(), "samples", MetricKind.GAUGE, "", r.samples());
    note(sink, labels, r.at(), "size", MetricKind.GAUGE, "By", r.bytes());
    keep(sink);
  }

  private static void note(
      SampleSink sink,
      Labels labels,
      long at,
      String name,
      MetricKind kind,
      String unit,
      double value) {
    sink.sample(sink.series(new SeriesKey("scrape." + name, labels), kind, unit), at, value);
  }

  private Outgoing.Answer fetch(ScrapeJob job, Target target) throws IOException {
    var headers = new HashMap<>(Map.of("Accept", ACCEPT));
    var uri = guard.check(vault.revealed(target.url()));
    if (uri.getUserInfo() != null) {
      var who = uri.getUserInfo().getBytes(StandardCharsets.UTF_8);
      headers.put("Authorization", "Basic " + Base64.getEncoder().encodeToString(who));
    }
    job.headers().forEach((name, value) -> headers.put(name, vault.revealed(value)));
    var machine = target.connectTo().isEmpty() ? null : InetAddress.ofLiteral(target.connectTo());
    return outgoing.call(
        new Outgoing.Call("GET", withoutUser(uri), headers, null, job.timeout(), job.maxBytes()),
        machine);
  }

  private static URI withoutUser(URI uri) {
    return new HttpAddress(uri).withoutUser();
  }

  /** Takes samples and forgets them. */
  private static final class Discarding implements SampleSink {
    @Override
    public int series(SeriesKey key, MetricKind kind, String unit) {
      return 0;
    }

    @Override
    public void sample(int series, long time, double value) {}

    @Override
    public void difference(int series, long start, long time, double by, boolean grows) {}

    @Override
    public void refuse(String metric, int points, String why) {}
  }
}
