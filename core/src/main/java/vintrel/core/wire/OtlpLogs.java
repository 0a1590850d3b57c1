package vintrel.core.wire;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.series.Admission;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;
import vintrel.core.series.SeriesKey;

/**
 * OTLP logs (collector/logs/v1) as JSON parsed to maps, or as protocol buffers, which are brought
 * to the same maps. A resource's attributes become labels, by the names that metrics have, but for
 * those that rules keep aside, which are fields of each record; a record's own attributes are its
 * fields, since every record may have others.
 */
public final class OtlpLogs {
  private static final JsonMapper JSON = new JsonMapper();

  private final List<Event> events = new ArrayList<>();
  private int refused;
  private String why = "";

  private OtlpLogs() {}

  /**
   * @param refused how many records can't be kept
   * @param why of the last of them, in words
   */
  public record Read(List<Event> events, int refused, String why) {}

  /**
   * Reads an ExportLogsServiceRequest.
   *
   * @param rules which attributes of resources become labels
   * @throws WireException if the document is not one
   */
  public static Read json(Map<?, ?> request, ResourceRules rules) {
    var reader = new OtlpLogs();
    for (var resourceLogs : OtlpJson.objects(request, "resourceLogs")) {
      var labels = new TreeMap<String, String>();
      if (resourceLogs.get("resource") instanceof Map<?, ?> r) {
        OtlpJson.attributes(r, labels);
      }
      // A record is worth more than a character of it that no database keeps.
      var kept = new TreeMap<String, String>();
      var parts = rules.part(labels);
      parts.labels().forEach((k, v) -> kept.put(Admission.whole(k), Admission.whole(v)));
      var who = Labels.of(kept);
      for (var scope : OtlpJson.objects(resourceLogs, "scopeLogs")) {
        OtlpJson.objects(scope, "logRecords").forEach(r -> reader.event(r, who, parts.aside()));
      }
    }
    return new Read(reader.events, reader.refused, reader.why);
  }

  /**
   * @throws WireException if the bytes are no ExportLogsServiceRequest
   */
  public static Read protobuf(byte[] bytes, ResourceRules rules) {
    return json(OtlpLogBytes.request(bytes), rules);
  }

  private void event(Map<?, ?> r, Labels labels, Map<String, String> aside) {
    long nanos = OtlpJson.nanos(r.get("timeUnixNano"));
    long time = (nanos > 0 ? nanos : OtlpJson.nanos(r.get("observedTimeUnixNano"))) / 1_000_000;
    if (time <= 0) {
      refuse("a record without a time");
      return;
    }
    var fields = new LinkedHashMap<String, Object>(aside);
    var body = value(r.get("body"));
    if (body instanceof Map<?, ?> map) {
      map.forEach((k, v) -> fields.put(k.toString(), v));
    }
    for (var pair : OtlpJson.objects(r, "attributes")) {
      fields.put(OtlpJson.text(pair.get("key")), value(pair.get("value")));
    }
    put(fields, "trace.id", r.get("traceId"));
    put(fields, "span.id", r.get("spanId"));
    put(fields, "event.name", r.get("eventName"));
    var text =
        body instanceof Map<?, ?> || body instanceof List<?>
            ? JSON.writeValueAsString(body)
            : OtlpJson.text(body);
    var json = fields.isEmpty() ? "" : JSON.writeValueAsString(fields);
    int severity = (int) OtlpJson.number(r.get("severityNumber"), 0);
    var event =
        new Event(
            0,
            SeriesKey.MAIN,
            time,
            Event.level(severity, OtlpJson.text(r.get("severityText"))),
            Admission.whole(text),
            labels,
            Admission.whole(json));
    var fault = Admission.fault(event);
    if (fault == null) {
      events.add(event);
    } else {
      refuse(fault);
    }
  }

  private void refuse(String reason) {
    refused++;
    why = reason;
  }

  private static void put(Map<String, Object> fields, String name, Object value) {
    if (value != null && !value.toString().isEmpty()) {
      fields.put(name, value.toString());
    }
  }

  /** An AnyValue as the text of a label: lists and maps as JSON, bytes as base64. */
  static String attribute(Object any) {
    if (any instanceof Map<?, ?> v && v.get("intValue") != null) {
      return v.get("intValue").toString();
    }
    var value = value(any);
    return value instanceof Map<?, ?> || value instanceof List<?>
        ? JSON.writeValueAsString(value)
        : OtlpJson.text(value);
  }

  /** An AnyValue as text, number, boolean, list or map; null if it is empty. */
  private static Object value(Object any) {
    if (!(any instanceof Map<?, ?> v)) {
      return null;
    }
    if (v.get("stringValue") != null) {
      return v.get("stringValue").toString();
    }
    if (v.get("boolValue") != null) {
      return v.get("boolValue");
    }
    if (v.get("intValue") != null) {
      return (long) OtlpJson.number(v.get("intValue"), 0);
    }
    if (v.get("doubleValue") != null) {
      return OtlpJson.number(v.get("doubleValue"), 0);
    }
    if (v.get("arrayValue") instanceof Map<?, ?> array) {
      return OtlpJson.objects(array, "values").stream().map(OtlpLogs::value).toList();
    }
    if (v.get("kvlistValue") instanceof Map<?, ?> list) {
      var out = new LinkedHashMap<String, Object>();
      for (var pair : OtlpJson.objects(list, "values")) {
        out.put(OtlpJson.text(pair.get("key")), value(pair.get("value")));
      }
      return out;
    }
    return v.get("bytesValue");
  }
}
