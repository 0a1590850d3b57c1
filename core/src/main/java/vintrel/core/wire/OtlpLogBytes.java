package vintrel.core.wire;

import java.util.ArrayList;
import java.util.Base64;
import java.util.HashMap;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;

/**
 * OTLP logs as protocol buffers → the maps that OTLP's JSON gives (opentelemetry/proto/logs/v1).
 */
final class OtlpLogBytes {
  private static final int MAX_DEPTH = 50;

  private OtlpLogBytes() {}

  static Map<String, Object> request(byte[] bytes) {
    return Map.of(
        "resourceLogs",
        list(new ProtoBytes(bytes, 0, bytes.length), 1, OtlpLogBytes::resourceLogs));
  }

  private interface Reader {
    Map<String, Object> read(ProtoBytes in);
  }

  /** All messages of one field. */
  private static List<Map<String, Object>> list(ProtoBytes in, int field, Reader each) {
    var out = new ArrayList<Map<String, Object>>();
    while (in.next()) {
      if (in.is(field, 2)) {
        out.add(each.read(in.inner()));
      } else {
        in.skip();
      }
    }
    return out;
  }

  private static Map<String, Object> resourceLogs(ProtoBytes in) {
    var out = new HashMap<String, Object>();
    var scopes = new ArrayList<Map<String, Object>>();
    while (in.next()) {
      if (in.is(1, 2)) {
        out.put("resource", Map.of("attributes", list(in.inner(), 1, p -> pair(p, 0))));
      } else if (in.is(2, 2)) {
        scopes.add(Map.of("logRecords", list(in.inner(), 2, OtlpLogBytes::record)));
      } else {
        in.skip();
      }
    }
    out.put("scopeLogs", scopes);
    return out;
  }

  private static Map<String, Object> record(ProtoBytes in) {
    var out = new HashMap<String, Object>();
    var attributes = new ArrayList<Map<String, Object>>();
    while (in.next()) {
      if (in.is(1, 1)) {
        out.put("timeUnixNano", in.fixed64());
      } else if (in.is(11, 1)) {
        out.put("observedTimeUnixNano", in.fixed64());
      } else if (in.is(2, 0)) {
        out.put("severityNumber", in.varint());
      } else if (in.is(3, 2)) {
        out.put("severityText", in.text());
      } else if (in.is(5, 2)) {
        out.put("body", value(in.inner(), 0));
      } else if (in.is(6, 2)) {
        attributes.add(pair(in.inner(), 0));
      } else if (in.is(9, 2) || in.is(10, 2)) {
        var hex = HexFormat.of().formatHex(in.bytes, in.start, in.stop);
        out.put(in.field == 9 ? "traceId" : "spanId", hex);
      } else if (in.is(12, 2)) {
        out.put("eventName", in.text());
      } else {
        in.skip();
      }
    }
    out.put("attributes", attributes);
    return out;
  }

  private static Map<String, Object> pair(ProtoBytes in, int depth) {
    var out = new HashMap<String, Object>();
    while (in.next()) {
      if (in.is(1, 2)) {
        out.put("key", in.text());
      } else if (in.is(2, 2)) {
        out.put("value", value(in.inner(), depth));
      } else {
        in.skip();
      }
    }
    return out;
  }

  static Map<String, Object> value(ProtoBytes in, int depth) {
    if (depth > MAX_DEPTH) {
      throw new WireException("values nested more than " + MAX_DEPTH + " deep");
    }
    var out = new HashMap<String, Object>();
    while (in.next()) {
      if (in.is(1, 2)) {
        out.put("stringValue", in.text());
      } else if (in.is(2, 0)) {
        out.put("boolValue", in.varint() != 0);
      } else if (in.is(3, 0)) {
        out.put("intValue", in.varint());
      } else if (in.is(4, 1)) {
        out.put("doubleValue", Double.longBitsToDouble(in.fixed64()));
      } else if (in.is(5, 2)) {
        out.put("arrayValue", Map.of("values", list(in.inner(), 1, v -> value(v, depth + 1))));
      } else if (in.is(6, 2)) {
        out.put("kvlistValue", Map.of("values", list(in.inner(), 1, p -> pair(p, depth + 1))));
      } else if (in.is(7, 2)) {
        var bytes = java.util.Arrays.copyOfRange(in.bytes, in.start, in.stop);
        out.put("bytesValue", Base64.getEncoder().encodeToString(bytes));
      } else {
        in.skip();
      }
    }
    return out;
  }
}
