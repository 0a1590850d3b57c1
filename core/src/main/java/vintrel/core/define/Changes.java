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
  private Changes() {}

  /**
   * One difference.
   *
   * @param path such as panels.cpu-busy.title
   * @param before null if it was added
   * @param after null if it was removed
   * @param words such as: CPU: unit % → s
   */
  public record Change(String path, Object before, Object after, String words) {}

  /** A key of a map or an entry of a list, with what is there. */
  private record Step(String name, Object value) {
    String title() {
      var title = value instanceof Map<?, ?> map ? map.get("title") : null;
      return title == null ? name : title.toString();
    }
  }

  /** All differences, in the order of the documents. */
  public static List<Change> between(Map<String, Object> before, Map<String, Object> after) {
    var out = new ArrayList<Change>();
    maps(List.<Step>of(), identified(before), identified(after), out);
    return out;
  }

  /** A panel that got another title keeps its id, which is written down from then on. */
  private static Map<String, Object> identified(Map<String, Object> document) {
    if (!(document.get("panels") instanceof List<?> panels)) {
      return document;
    }
    var out = new LinkedHashMap<>(document);
    out.put("panels", panels.stream().map(Changes::identified).toList());
    return out;
  }

  private static Object identified(Object panel) {
    if (!(panel instanceof Map<?, ?> map) || map.get("id") != null || map.get("title") == null) {
      return panel;
    }
    var out = new LinkedHashMap<Object, Object>(map);
    out.put("id", Dashboard.panelId(map.get("title").toString()));
    return out;
  }

  /** The same for two texts of one definition. */
  public static List<Change> between(String before, String after) {
    return between(Documents.map(before), Documents.map(after));
  }

  private static void maps(List<Step> path, Map<?, ?> before, Map<?, ?> after, List<Change> out) {
    var keys = new LinkedHashSet<Object>(before.keySet());
    keys.addAll(after.keySet());
    for (var key : keys) {
      var inner = new ArrayList<>(path);
      var b = before.get(key);
      var a = after.get(key);
      inner.add(new Step("" + key, a == null ? b : a));
      values(inner, b, a, out);
    }
  }

  private static void values(List<Step> path, Object before, Object after, List<Change> out) {
    if (before instanceof Map<?, ?> b && after instanceof Map<?, ?> a) {
      maps(path, b, a, out);
    } else if (isNamed(before, after) && isNamed(after, before)) {
      maps(path, byName((List<?>) before), byName((List<?>) after), out);
    } else if (before instanceof Map<?, ?> b
        && after == null
        && path.getLast().name().equals("options")) {
      maps(path, b, Map.of(), out);
    } else if (before == null
        && after instanceof Map<?, ?> a
        && path.getLast().name().equals("options")) {
      maps(path, Map.of(), a, out);
    } else if (!Objects.equals(before, after)) {
      var names = path.stream().map(Step::name).toList();
      var title = names.size() < 2 ? "" : path.get(1).title();
      var words = ChangeWords.of(names, title, before, after);
      out.add(new Change(String.join(".", names), before, after, words));
    }
  }

  /** A list of entries with names, or its absence beside one. */
  private static boolean isNamed(Object list, Object other) {
    return list == null
        ? other instanceof List<?> o && named(o)
        : list instanceof List<?> l && (l.isEmpty() || named(l));
  }

  private static boolean named(List<?> list) {
    return !list.isEmpty() && list.stream().allMatch(Map.class::isInstance);
  }

  private static Map<String, Object> byName(List<?> list) {
    var out = new LinkedHashMap<String, Object>();
    for (var each : list == null ? List.of() : list) {
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
