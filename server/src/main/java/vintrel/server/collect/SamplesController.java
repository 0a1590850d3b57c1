package vintrel.server.collect;

import com.fasterxml.jackson.annotation.JsonInclude;
import jakarta.servlet.http.HttpServletRequest;
import java.io.ByteArrayInputStream;
import java.io.EOFException;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.zip.GZIPInputStream;
import java.util.zip.ZipException;
import org.springframework.http.MediaType;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.unit.TimeText;
import vintrel.server.web.Answers;
import vintrel.server.web.Pools;
import vintrel.server.web.Settings;
import vintrel.server.web.TooLargeException;

/**
 * Takes values in small formats: JSON (one or a list), form fields, JSON lines, CSV, OpenMetrics
 * text.
 */
@RestController
class SamplesController {
  /** What a sample has beside its labels. */
  private static final Set<String> FIELDS = Set.of("metric", "value", "labels", "unit", "time");

  private final SampleSinks intakes;
  private final Pools pools;
  private final Clock clock;
  private final int maxBytes;

  SamplesController(SampleSinks intakes, Pools pools, Settings settings, Clock clock) {
    this.maxBytes = settings.ingest().maxBodyBytes();
    this.pools = pools;
    this.intakes = intakes;
    this.clock = clock;
  }

  @PostMapping(path = "/api/v1/samples", consumes = MediaType.APPLICATION_JSON_VALUE)
  SamplesAnswer json(
      HttpServletRequest request,
      @RequestBody String body,
      @RequestParam(required = false) String store) {
    var intake = intakes.open(store, Way.SAMPLES);
    pools.read(body.length(), () -> read(body, intake));
    return answer(request, intake);
  }

  /** All items that can be read; the others are refused with their number. */
  private StoreSampleSink read(String body, StoreSampleSink intake) {
    Object parsed;
    try {
      parsed = JsonMapper.shared().readValue(body, Object.class);
    } catch (JacksonException e) {
      throw new IllegalArgumentException("the body is not JSON: " + e.getOriginalMessage());
    }
    if (parsed == null) {
      throw new IllegalArgumentException("the body is null; send a sample or a list of them");
    }
    var items = parsed instanceof List<?> list ? list : List.of(parsed);
    for (int i = 0; i < items.size(); i++) {
      item(items.get(i), "item " + (i + 1), intake);
    }
    return intake;
  }

  private void item(Object parsed, String place, StoreSampleSink intake) {
    try {
      if (!(parsed instanceof Map<?, ?> item)) {
        throw new IllegalArgumentException("must be an object with metric and value");
      }
      var labels = new TreeMap<String, String>();
      if (item.get("labels") instanceof Map<?, ?> map) {
        map.forEach((k, v) -> labels.put(k.toString(), v == null ? "" : v.toString()));
      }
      // As in a form, fields beside the known ones are labels.
      item.forEach(
          (k, v) -> {
            if (!FIELDS.contains(k.toString())) {
              labels.put(k.toString(), label(k.toString(), v));
            }
          });
      take(
          intake,
          item.get("metric"),
          item.get("value"),
          labels,
          item.get("unit"),
          item.get("time"));
    } catch (IllegalArgumentException e) {
      intake.refuse(1, place + ": " + e.getMessage());
    }
  }

  private static String label(String name, Object value) {
    if (value == null || value instanceof Map<?, ?> || value instanceof List<?>) {
      throw new IllegalArgumentException(
          "`%s` can't be a label: it must be a text, a number or a truth value"
              .formatted(name.length() > 100 ? name.substring(0, 100) + "…" : name));
    }
    return value.toString();
  }

  /** A JSON object per line; lines that can't be read are rejected with their number. */
  @PostMapping(
      path = "/api/v1/samples",
      consumes = {"application/x-ndjson", "application/jsonl"})
  SamplesAnswer lines(HttpServletRequest request, @RequestParam(required = false) String store)
      throws IOException {
    var intake = intakes.open(store, Way.LINES);
    var body = body(request);
    pools.read(
        body.length(),
        () -> {
          int[] n = {0};
          body.lines()
              .forEach(
                  line -> {
                    n[0]++;
                    if (!line.isBlank()) {
                      line(line, "line " + n[0], intake);
                    }
                  });
          return intake;
        });
    return answer(request, intake);
  }

  private void line(String line, String place, StoreSampleSink intake) {
    Object parsed;
    try {
      parsed = JsonMapper.shared().readValue(line, Object.class);
    } catch (JacksonException e) {
      intake.refuse(1, place + ": is not JSON: " + e.getOriginalMessage());
      return;
    }
    item(parsed, place, intake);
  }

  /** A table with a row of column names first, as files are imported. */
  @PostMapping(path = "/api/v1/samples", consumes = "text/csv")
  SamplesAnswer csv(HttpServletRequest request, @RequestParam(required = false) String store)
      throws IOException {
    return document(request, store, "csv", Way.CSV);
  }

  /** A page of OpenMetrics text, as endpoints offer it. */
  @PostMapping(path = "/api/v1/samples", consumes = "application/openmetrics-text")
  SamplesAnswer openMetrics(
      HttpServletRequest request, @RequestParam(required = false) String store) throws IOException {
    return document(request, store, "openmetrics", Way.OPENMETRICS);
  }

  private SamplesAnswer document(HttpServletRequest request, String store, String format, Way way)
      throws IOException {
    var text = body(request);
    var importer = new Importer(() -> intakes.open(store, way), n -> {});
    try (var in = new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8))) {
      var outcome = importer.read(in, format, clock.millis());
      request.setAttribute(Answers.REASON, outcome.why());
      return new SamplesAnswer(
          outcome.accepted(), outcome.refused(), 0, outcome.why().isEmpty() ? null : outcome.why());
    }
  }

  /** The body as text, unpacked if it is gzip. */
  private String body(HttpServletRequest request) throws IOException {
    var encoding = request.getHeader("Content-Encoding");
    if (encoding == null || encoding.isBlank() || encoding.equalsIgnoreCase("identity")) {
      return new String(request.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    }
    if (!encoding.equalsIgnoreCase("gzip")) {
      throw new IllegalArgumentException("the content encoding must be gzip or none");
    }
    try (var in = new GZIPInputStream(request.getInputStream())) {
      var bytes = in.readNBytes(maxBytes + 1);
      if (bytes.length > maxBytes) {
        throw new TooLargeException(maxBytes);
      }
      return new String(bytes, StandardCharsets.UTF_8);
    } catch (ZipException | EOFException e) {
      throw new IllegalArgumentException("the body is not valid gzip");
    }
  }

  @PostMapping(path = "/api/v1/samples", consumes = MediaType.APPLICATION_FORM_URLENCODED_VALUE)
  SamplesAnswer form(HttpServletRequest request, @RequestParam Map<String, String> fields) {
    var labels = new TreeMap<>(fields);
    List.of("metric", "value", "unit", "time", "store").forEach(labels::remove);
    var intake = intakes.open(fields.get("store"), Way.SAMPLES);
    take(
        intake,
        fields.get("metric"),
        fields.get("value"),
        labels,
        fields.get("unit"),
        fields.get("time"));
    return answer(request, intake);
  }

  private static SamplesAnswer answer(HttpServletRequest request, StoreSampleSink intake) {
    var outcome = intake.keep();
    request.setAttribute(Answers.REASON, outcome.why());
    return new SamplesAnswer(
        outcome.receipt().accepted(),
        outcome.refused(),
        outcome.receipt().replaced(),
        outcome.told().isEmpty() ? null : outcome.told());
  }

  /**
   * What became of the samples.
   *
   * @param text why some were rejected, or null
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record SamplesAnswer(long accepted, long refused, long replaced, String text) {}

  private void take(
      StoreSampleSink intake,
      Object metric,
      Object value,
      TreeMap<String, String> labels,
      Object unit,
      Object time) {
    if (metric == null || metric.toString().isBlank()) {
      throw new IllegalArgumentException("metric is missing");
    }
    double number;
    try {
      number = Double.parseDouble(String.valueOf(value));
    } catch (NumberFormatException e) {
      throw new IllegalArgumentException("value must be a number, not '" + value + "'");
    }
    long at =
        TimeText.parse(
            time == null ? "now" : time.toString(),
            Instant.ofEpochMilli(clock.millis()),
            ZoneOffset.UTC);
    var key = new SeriesKey(metric.toString().strip(), Labels.of(labels));
    intake.sample(
        intake.series(key, MetricKind.GAUGE, unit == null ? "" : unit.toString()), at, number);
  }
}
