package vintrel.collector.input;

import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.function.UnaryOperator;
import vintrel.collector.Input;
import vintrel.collector.InputException;
import vintrel.collector.Reading;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.collect.RewritingSink;
import vintrel.core.collect.ScrapeDiagnosis;
import vintrel.core.collect.ScrapeJob;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.wire.OpenMetricsText;
import vintrel.core.wire.SampleSink;

/** A page of metrics of this host or its neighbours. */
public final class ScrapeInput implements Input {
  private final HttpClient http;
  private final CollectorConfig.Input input;
  private final CollectorConfig.Scrape source;
  private final UnaryOperator<String> environment;

  public ScrapeInput(
      HttpClient http,
      CollectorConfig.Input input,
      CollectorConfig.Scrape source,
      UnaryOperator<String> environment) {
    this.http = http;
    this.input = input;
    this.source = source;
    this.environment = environment;
  }

  @Override
  public List<Reading> read() throws InputException {
    var page = fetch();
    var own = new java.util.TreeMap<>(input.labels());
    own.put("job", input.name());
    var taking = new Taking();
    var sink = new RewritingSink(source.rewrite(), taking, null);
    OpenMetricsText.read(page, Labels.of(own), 0, sink);
    if (sink.samples() > ScrapeJob.MAX_SAMPLES) {
      throw new InputException(
          "the page has %,d samples; the limit is %,d"
              .formatted(sink.samples(), ScrapeJob.MAX_SAMPLES));
    }
    if (sink.samples() == 0) {
      throw new InputException(taking.fault.isEmpty() ? "the page has no samples" : taking.fault);
    }
    return taking.readings;
  }

  private String fetch() throws InputException {
    try {
      var request =
          HttpRequest.newBuilder(URI.create(environment.apply(source.url())))
              .timeout(Duration.ofMillis(input.timeout()))
              .header("Accept", "application/openmetrics-text; version=1.0.0, text/plain; q=0.5")
              .header("User-Agent", "vintrel-collector");
      source.headers().forEach((n, v) -> request.header(n, environment.apply(v)));
      var answer = http.send(request.build(), HttpResponse.BodyHandlers.ofInputStream());
      try (var body = answer.body()) {
        var bytes = body.readNBytes(ScrapeJob.MAX_BYTES + 1);
        if (bytes.length > ScrapeJob.MAX_BYTES) {
          throw new InputException(
              "the page is longer than %,d bytes".formatted(ScrapeJob.MAX_BYTES));
        }
        var page = new String(bytes, StandardCharsets.UTF_8);
        var type = answer.headers().firstValue("Content-Type").orElse("");
        var fault = ScrapeDiagnosis.ofAnswer(answer.statusCode(), type, page);
        if (!fault.isEmpty()) {
          throw new InputException(fault);
        }
        return page;
      }
    } catch (IOException | IllegalArgumentException e) {
      throw new InputException(ScrapeDiagnosis.ofFault(e, input.timeout()));
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new InputException("stopped");
    }
  }

  /** Keeps what is read. */
  private static final class Taking implements SampleSink {
    private record Series(SeriesKey key, MetricKind kind, String unit) {}

    final List<Reading> readings = new ArrayList<>();
    private final List<Series> series = new ArrayList<>();
    String fault = "";

    @Override
    public int series(SeriesKey key, MetricKind kind, String unit) {
      series.add(new Series(key, kind, unit));
      return series.size() - 1;
    }

    @Override
    public void sample(int id, long time, double value) {
      var s = series.get(id);
      Map<String, String> labels = s.key().labels().asMap();
      readings.add(new Reading(s.key().metric(), s.kind(), s.unit(), value, labels, time));
    }

    @Override
    public void difference(int id, long start, long time, double by, boolean grows) {
      // Pages have no differences.
    }

    @Override
    public void refuse(String metric, int points, String why) {
      fault = fault.isEmpty() ? why : fault;
    }
  }
}
