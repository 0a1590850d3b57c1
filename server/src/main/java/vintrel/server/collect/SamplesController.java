package vintrel.server.collect;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
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
import vintrel.server.web.Pools;

/** Publishes values from a shell: JSON, one or a list, or form fields. */
@RestController
class SamplesController {
  private final SampleSinks intakes;
  private final Pools pools;
  private final Clock clock;

  SamplesController(SampleSinks intakes, Pools pools, Clock clock) {
    this.pools = pools;
    this.intakes = intakes;
    this.clock = clock;
  }

  @PostMapping(path = "/api/v1/samples", consumes = MediaType.APPLICATION_JSON_VALUE)
  Map<String, Object> json(@RequestBody String body, @RequestParam(required = false) String store) {
    var intake = intakes.open(store, Way.SAMPLES);
    pools.read(body.length(), () -> read(body, intake));
    return answer(intake);
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
      try {
        if (!(items.get(i) instanceof Map<?, ?> item)) {
          throw new IllegalArgumentException("must be an object with metric and value");
        }
        var labels = new TreeMap<String, String>();
        if (item.get("labels") instanceof Map<?, ?> map) {
          map.forEach((k, v) -> labels.put(k.toString(), v == null ? "" : v.toString()));
        }
        take(
            intake,
            item.get("metric"),
            item.get("value"),
            labels,
            item.get("unit"),
            item.get("time"));
      } catch (IllegalArgumentException e) {
        intake.refuse(1, "item " + (i + 1) + ": " + e.getMessage());
      }
    }
    return intake;
  }

  @PostMapping(path = "/api/v1/samples", consumes = MediaType.APPLICATION_FORM_URLENCODED_VALUE)
  Map<String, Object> form(@RequestParam Map<String, String> fields) {
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
    return answer(intake);
  }

  private Map<String, Object> answer(StoreSampleSink intake) {
    var outcome = intake.keep();
    var answer = new LinkedHashMap<String, Object>();
    answer.put("accepted", outcome.receipt().accepted());
    answer.put("refused", outcome.refused());
    answer.put("replaced", outcome.receipt().replaced());
    if (!outcome.why().isEmpty()) {
      answer.put("text", outcome.why());
    }
    return answer;
  }

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
