package vintrel.core.define;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;

/**
 * What differs between two versions of a document. Entries of lists are matched by their id, name
 * or title, else by their position.
 */
public final class Changes {
  private static final int SHOWN = 60;

  private Changes() {}

  /**
   * One difference.
   *
   * @param path such as panels.cpu-busy.title
   * @param before null if it was added
   * @param after null if it was removed
   */
  public record Change(String path, Object before, Object after) {
    /** In words: title: 'CPU' → 'CPU busy'. */
    public String words() {
      if (before == null) {
        return path + " added: " + shown(after);
      }
      return after == null ? path + " removed" : path + ": " + shown(before) + " → " + shown(after);
    }

    private static String shown(Object value) {
      if (value instanceof Map || value instanceof List) {
        return "…";
      }
      var text = String.valueOf(value).replace("\n", " ⏎ ");
      var cut = text.length() <= SHOWN ? text : text.substring(0, SHOWN) + "…";
      return value instanceof String ? "'" + cut + "'" : cut;
    }
  }

  /** All differences, in the order of the documents. */
  public static List<Change> between(Map<String, Object> before, Map<String, Object> after) {
    var out = new ArrayList<Change>();
    maps("", before, after, out);
    return out;
  }

  /** The same for two texts of one definition. */
  public static List<Change> between(String before, String after) {
    return between(Documents.map(before), Documents.map(after));
  }

  private static void maps(String path, Map<?, ?> before, Map<?, ?> after, List<Change> out) {
    var keys = new LinkedHashSet<Object>(before.keySet());
    keys.addAll(after.keySet());
    for (var key : keys) {
      values(path.isEmpty() ? "" + key : path + "." + key, before.get(key), after.get(key), out);
    }
  }

  private static void values(String path, Object before, Object after, List<Change> out) {
    if (before instanceof Map<?, ?> b && after instanceof Map<?, ?> a) {
      maps(path, b, a, out);
    } else if (before instanceof List<?> b
        && after instanceof List<?> a
        && (named(b) || named(a))) {
      maps(path, byName(b), byName(a), out);
    } else if (!Objects.equals(before, after)) {
      out.add(new Change(path, before, after));
    }
  }

  private static boolean named(List<?> list) {
    return !list.isEmpty() && list.stream().allMatch(Map.class::isInstance);
  }

  private static Map<String, Object> byName(List<?> list) {
    var out = new LinkedHashMap<String, Object>();
    for (var each : list) {
      var name = each instanceof Map<?, ?> map ? name(map) : String.valueOf(out.size());
      var free = name;
      for (int n = 2; out.containsKey(free); n++) {
        free = name + "-" + n;
      }
      out.put(free, each);
    }
    return out;
  }

  private static String name(Map<?, ?> map) {
    for (var key : List.of("id", "name", "title", "priority")) {
      if (map.get(key) != null) {
        return String.valueOf(map.get(key));
      }
    }
    return "entry";
  }
}
