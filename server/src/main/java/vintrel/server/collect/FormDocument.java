package vintrel.server.collect;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import tools.jackson.databind.json.JsonMapper;

/**
 * A definition that is put together from the fields of a form. What can't be read is noted by
 * field; blank fields are left out. Not thread-safe.
 */
final class FormDocument {
  private final Map<String, Object> map = new LinkedHashMap<>();
  private final Map<String, String> faults = new LinkedHashMap<>();
  private final String path;

  FormDocument(String kind, String name) {
    map.put("kind", kind);
    var given = name == null ? "" : name.strip();
    if (given.isEmpty()) {
      faults.put("name", "is missing");
    } else {
      map.put("name", given);
    }
    path = kind + " " + (given.isEmpty() ? "document 1" : given);
  }

  private static boolean blank(String text) {
    return text == null || text.isBlank();
  }

  void put(String field, Object value) {
    map.put(field, value);
  }

  void text(String field, String text) {
    if (!blank(text)) {
      map.put(field, text.strip());
    }
  }

  /** One value per line. */
  void list(String field, String text) {
    if (!blank(text)) {
      map.put(field, text.lines().map(String::strip).filter(l -> !l.isEmpty()).toList());
    }
  }

  /** A name and a text per line. */
  void map(String field, String text, char between) {
    if (blank(text)) {
      return;
    }
    var out = new LinkedHashMap<String, String>();
    for (var line : text.lines().map(String::strip).filter(l -> !l.isEmpty()).toList()) {
      int at = line.indexOf(between);
      if (at < 1 || at == line.length() - 1) {
        faults.put(
            field,
            "write one per line, such as name" + between + (between == ':' ? " " : "") + "value");
        return;
      }
      out.put(line.substring(0, at).strip(), line.substring(at + 1).strip());
    }
    map.put(field, out);
  }

  void number(String field, String text) {
    if (blank(text)) {
      return;
    }
    try {
      var plain = text.strip().replace(",", "").replace(" ", "");
      double value = Double.parseDouble(plain);
      map.put(
          field,
          value == Math.rint(value) && Math.abs(value) < 1e15 ? (long) value : (Object) value);
    } catch (NumberFormatException e) {
      faults.put(field, "must be a number");
    }
  }

  /** Notes a fault of a field. */
  void fault(String field, String text) {
    faults.putIfAbsent(field, text);
  }

  boolean isFaulty() {
    return !faults.isEmpty();
  }

  /** As JSON, which definitions are read from, too. */
  String text() {
    return JsonMapper.shared().writeValueAsString(map);
  }

  /**
   * What is wrong, by field of the form; what belongs to no field is under an empty name.
   *
   * @param others of the whole definition, each beginning with its path
   */
  Map<String, String> faults(List<String> others) {
    var out = new HashMap<>(faults);
    var rest = new ArrayList<String>();
    for (var fault : others) {
      var local = fault.startsWith(path + ".") ? fault.substring(path.length() + 1) : null;
      var field = local == null ? "" : local.split("[\\[.:]", 2)[0];
      if (local == null) {
        rest.add(fault.startsWith(path + ": ") ? fault.substring(path.length() + 2) : fault);
      } else {
        out.merge(field, spoken(local.substring(field.length())), (a, b) -> a + "; " + b);
      }
    }
    if (!rest.isEmpty()) {
      out.put("", String.join("; ", rest));
    }
    return out;
  }

  /** The same in one line. */
  String words(List<String> others) {
    var out = new ArrayList<String>();
    new TreeMap<>(faults(others))
        .forEach((field, text) -> out.add((field.isEmpty() ? "" : field + ": ") + text));
    return String.join("; ", out);
  }

  /** [1]: … → line 2: … */
  private static String spoken(String text) {
    var m =
        java.util.regex.Pattern.compile("\\[(\\d+)]: (.*)", java.util.regex.Pattern.DOTALL)
            .matcher(text);
    if (m.matches()) {
      return "line " + (Integer.parseInt(m.group(1)) + 1) + ": " + m.group(2);
    }
    return text.startsWith(": ") ? text.substring(2) : text;
  }
}
