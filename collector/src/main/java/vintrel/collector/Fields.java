package vintrel.collector;

import java.util.Map;
import java.util.TreeMap;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.json.JsonMapper;

/** The fields of a record, which are a JSON object. */
final class Fields {
  private Fields() {}

  /** What is nested stays JSON text. */
  static Map<String, Object> of(String json) {
    var out = new TreeMap<String, Object>();
    if (json.isEmpty()) {
      return out;
    }
    try {
      if (JsonMapper.shared().readValue(json, Object.class) instanceof Map<?, ?> map) {
        map.forEach(
            (k, v) ->
                out.put(
                    k.toString(),
                    v instanceof Map || v instanceof java.util.List
                        ? JsonMapper.shared().writeValueAsString(v)
                        : v == null ? "" : v));
      }
    } catch (JacksonException e) {
      return out;
    }
    return out;
  }
}
