package vintrel.core.define;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeSet;
import vintrel.core.unit.Spans;

/** An object of a document, read with types; notes faults with their path instead of stopping. */
final class Spec {
  private static final int QUOTED = 100;

  private final Map<?, ?> map;
  private final String path;
  private final List<String> faults;
  private final TreeSet<String> asked = new TreeSet<>();

  Spec(Map<?, ?> map, String path, List<String> faults) {
    this.map = map;
    this.path = path;
    this.faults = faults;
  }

  void fault(String key, String what) {
    faults.add(path + (key.isEmpty() ? "" : "." + key) + ": " + what);
  }

  private Object get(String key) {
    asked.add(key);
    return map.get(key);
  }

  boolean has(String key) {
    return get(key) != null;
  }

  String need(String key) {
    var text = text(key, "");
    if (text.isBlank()) {
      fault(key, "is missing");
    }
    return text;
  }

  String text(String key, String otherwise) {
    var v = get(key);
    if (v instanceof Map || v instanceof List) {
      fault(key, "must be a text");
      return otherwise;
    }
    return v == null ? otherwise : v.toString().strip();
  }

  /** As above; one with more characters is a fault. */
  String text(String key, String otherwise, int most) {
    var text = text(key, otherwise);
    if (text.length() > most) {
      fault(key, "has %,d characters; at most %,d are kept".formatted(text.length(), most));
    }
    return text;
  }

  /** What a fault quotes. */
  static String cut(Object value) {
    var text = String.valueOf(value);
    return text.length() <= QUOTED ? text : text.substring(0, QUOTED) + "…";
  }

  double number(String key, double otherwise) {
    var v = get(key);
    if (v == null) {
      return otherwise;
    }
    if (v instanceof Number n) {
      return n.doubleValue();
    }
    fault(key, "must be a number, not '" + cut(v) + "'");
    return otherwise;
  }

  boolean truth(String key) {
    var v = get(key);
    if (v != null && !(v instanceof Boolean)) {
      fault(key, "must be true or false");
    }
    return Boolean.TRUE.equals(v);
  }

  long span(String key, long otherwise) {
    var v = get(key);
    if (v == null) {
      return otherwise;
    }
    var parsed = v.equals(0) ? java.util.OptionalLong.of(0) : Spans.parse(v.toString());
    if (parsed.isEmpty()) {
      fault(key, "must be a duration such as 30s or 5m, not '" + cut(v) + "'");
    }
    return parsed.orElse(otherwise);
  }

  <E extends Enum<E>> E choice(String key, Class<E> type, E otherwise) {
    var v = text(key, "");
    if (v.isEmpty()) {
      return otherwise;
    }
    for (var e : type.getEnumConstants()) {
      if (e.name().equals(v.toUpperCase(Locale.ROOT).replace(' ', '_'))) {
        return e;
      }
    }
    var names = new ArrayList<String>();
    for (var e : type.getEnumConstants()) {
      names.add(e.name().toLowerCase(Locale.ROOT).replace('_', ' '));
    }
    fault(key, "must be one of " + String.join(", ", names) + ", not '" + v + "'");
    return otherwise;
  }

  List<Spec> objects(String key) {
    var v = get(key);
    var out = new ArrayList<Spec>();
    if (v == null) {
      return out;
    }
    if (!(v instanceof List<?> list)) {
      fault(key, "must be a list");
      return out;
    }
    for (int i = 0; i < list.size(); i++) {
      if (list.get(i) instanceof Map<?, ?> m) {
        out.add(new Spec(m, path + "." + key + "[" + i + "]", faults));
      } else {
        fault(key + "[" + i + "]", "must be an object");
      }
    }
    return out;
  }

  List<String> texts(String key) {
    var v = get(key);
    if (v == null) {
      return List.of();
    }
    if (v instanceof List<?> list) {
      return list.stream().map(String::valueOf).toList();
    }
    return List.of(v.toString());
  }

  Map<String, String> textMap(String key) {
    var v = get(key);
    var out = new LinkedHashMap<String, String>();
    if (v instanceof Map<?, ?> m) {
      m.forEach((k, x) -> out.put(String.valueOf(k), String.valueOf(x)));
    } else if (v != null) {
      fault(key, "must be an object of texts");
    }
    return out;
  }

  /** Keys that nobody asked for are faults: mostly typing errors. */
  void done() {
    for (var each : map.keySet()) {
      var key = cut(each);
      if (!asked.contains(key)) {
        var near = vintrel.core.query.Vocabulary.nearest(key, asked);
        fault(key, "is not known here" + (near == null ? "" : "; did you mean " + near + "?"));
      }
    }
  }
}
