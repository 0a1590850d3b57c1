package vintrel.server.ask;

import jakarta.servlet.http.HttpServletResponse;
import java.io.BufferedWriter;
import java.io.IOException;
import java.io.OutputStreamWriter;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashSet;
import java.util.List;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import vintrel.core.series.Series;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.core.wire.CsvSamples;
import vintrel.core.wire.OpenMetricsWriter;
import vintrel.core.wire.SampleWriter;

/** Raw samples out, as CSV or OpenMetrics text; a day of a series at a time, so any amount. */
@RestController
class ExportApi {
  private static final long PART = Durations.DAY;

  private final SampleStore store;
  private final Clock clock;

  ExportApi(SampleStore store, Clock clock) {
    this.store = store;
    this.clock = clock;
  }

  /**
   * @param match a metric with conditions, as at the start of a line; absent: all
   * @param format csv or openmetrics
   */
  @GetMapping("/api/v1/export")
  void export(
      @RequestParam(required = false) String match,
      @RequestParam(defaultValue = "-1d") String from,
      @RequestParam(defaultValue = "now") String to,
      @RequestParam(defaultValue = "csv") String format,
      HttpServletResponse response)
      throws IOException {
    boolean csv = format.equals("csv");
    if (!csv && !format.equals("openmetrics")) {
      throw new IllegalArgumentException(
          "`format` must be csv or openmetrics, not `" + format + "`");
    }
    var now = Instant.ofEpochMilli(clock.millis());
    long a = TimeText.parse(from, now, ZoneOffset.UTC);
    long b = TimeText.parse(to, now, ZoneOffset.UTC);
    var source = QueryApi.source(match);
    var series =
        new ArrayList<>(
            store.select(
                source.store(), source.name().isEmpty() ? null : source.name(), source.where()));
    series.sort(Comparator.comparing(Series::key));
    response.setContentType(
        csv
            ? "text/csv; charset=utf-8"
            : "application/openmetrics-text; version=1.0.0; charset=utf-8");
    response.setHeader(
        "Content-Disposition", "attachment; filename=samples." + (csv ? "csv" : "txt"));
    var text =
        new BufferedWriter(
            new OutputStreamWriter(response.getOutputStream(), StandardCharsets.UTF_8), 65536);
    try (var writer = csv ? csv(text, series) : new OpenMetricsWriter(text)) {
      write(writer, series, a, b);
    }
  }

  private static SampleWriter csv(BufferedWriter text, List<Series> series) throws IOException {
    var labels = new LinkedHashSet<String>();
    series.forEach(s -> labels.addAll(s.labels().names()));
    return CsvSamples.writer(text, labels);
  }

  private void write(SampleWriter writer, List<Series> series, long from, long to)
      throws IOException {
    for (var s : series) {
      long newest = Math.min(to, store.newest(s.id()) + 1);
      for (long at = Math.max(from, store.oldest()); at < newest; at += PART) {
        var samples = store.read(List.of(s), at, Math.min(newest, at + PART)).getFirst();
        if (!samples.isEmpty()) {
          writer.write(s, samples);
        }
      }
    }
  }
}
