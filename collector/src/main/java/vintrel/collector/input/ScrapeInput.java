package vintrel.collector.input;

import java.io.IOException;
import java.io.InputStream;
import java.net.HttpURLConnection;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
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
import vintrel.core.unit.Durations;
import vintrel.core.wire.OpenMetricsText;
import vintrel.core.wire.SampleSink;

/** A page of metrics of this host or its neighbours. */
public final class ScrapeInput implements Input {
  private final CollectorConfig.Input input;
  private final CollectorConfig.Scrape source;
  private final UnaryOperator<String> environment;

  public ScrapeInput(
      CollectorConfig.Input input,
      CollectorConfig.Scrape source,
      UnaryOperator<String> environment) {
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

  /** A blocking call: many pages at short intervals cost half as much as with a client of tasks. */
  private String fetch() throws InputException {
    long end = System.nanoTime() + input.timeout() * 1_000_000;
    try {
      var call =
          (HttpURLConnection) URI.create(environment.apply(source.url())).toURL().openConnection();
      call.setConnectTimeout((int) input.timeout());
      call.setReadTimeout((int) input.timeout());
      call.setInstanceFollowRedirects(false);
      call.setUseCaches(false);
      call.setRequestProperty(
          "Accept", "application/openmetrics-text; version=1.0.0, text/plain; q=0.5");
      call.setRequestProperty("User-Agent", "vintrel-collector");
      source.headers().forEach((n, v) -> call.setRequestProperty(n, environment.apply(v)));
      int status = call.getResponseCode();
      var type = call.getContentType() == null ? "" : call.getContentType();
      try (var body = status < 400 ? call.getInputStream() : call.getErrorStream()) {
        var page = body == null ? "" : new String(whole(body, end), StandardCharsets.UTF_8);
        var fault = ScrapeDiagnosis.ofAnswer(status, type, page);
        if (!fault.isEmpty()) {
          throw new InputException(fault);
        }
        return page;
      }
    } catch (java.net.SocketTimeoutException e) {
      throw new InputException("no complete response within " + Durations.words(input.timeout()));
    } catch (IOException | IllegalArgumentException | ClassCastException e) {
      throw new InputException(ScrapeDiagnosis.ofFault(e, input.timeout()));
    }
  }

  /** All of a body, within its time however slowly it drips, and within its bytes. */
  private byte[] whole(InputStream body, long end) throws IOException, InputException {
    var out = new byte[16_384];
    int n = 0;
    int got;
    while ((got = body.read(out, n, out.length - n)) >= 0) {
      n += got;
      if (n > ScrapeJob.MAX_BYTES) {
        throw new InputException(
            "the page is longer than %,d bytes".formatted(ScrapeJob.MAX_BYTES));
      }
      if (System.nanoTime() > end) {
        throw new InputException("no complete response within " + Durations.words(input.timeout()));
      }
      if (n == out.length) {
        out = Arrays.copyOf(out, 2 * n);
      }
    }
    return Arrays.copyOf(out, n);
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
