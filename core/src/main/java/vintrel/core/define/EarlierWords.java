package vintrel.core.define;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.UnaryOperator;
import vintrel.core.panel.TimeChart;

/** Dashboards as earlier versions wrote them, in today's words. Pure; any thread. */
final class EarlierWords {
  /** What documents called the kinds before they had names. */
  static final Map<String, String> KINDS =
      Map.of("lines", "time-chart", "number", "number", "table", "table");

  private static final String USUAL = TimeChart.DEFAULT.word();

  /** What was set for the one axis at the right. */
  private static final List<String> RIGHT = List.of("scale", "from", "to", "words", "grid", "room");

  private EarlierWords() {}

  /** All of it, as the sheet edits it. */
  static Map<String, Object> all(Map<String, Object> document) {
    return panels(document, panel -> axes(kind(panel)));
  }

  /** What the shape of a document does not have any more; the rest is as it was. */
  static Map<String, Object> gone(Map<String, Object> document) {
    return panels(document, EarlierWords::axes);
  }

  private static Map<String, Object> panels(
      Map<String, Object> document, UnaryOperator<Map<Object, Object>> today) {
    if (!(document.get("panels") instanceof List<?> panels)) {
      return document;
    }
    var out = new LinkedHashMap<>(document);
    var changed = new ArrayList<>();
    for (Object panel : panels) {
      changed.add(panel instanceof Map<?, ?> p ? today.apply(new LinkedHashMap<>(p)) : panel);
    }
    out.put("panels", changed);
    return out;
  }

  private static Map<Object, Object> kind(Map<Object, Object> panel) {
    var earlier = KINDS.get(String.valueOf(panel.remove("show")));
    if (earlier != null && !earlier.equals(USUAL)) {
      panel.putIfAbsent("kind", earlier);
    }
    var legend = panel.remove("legend");
    if (legend != null && panel.getOrDefault("kind", USUAL).equals(USUAL)) {
      var options = options(panel);
      options.putIfAbsent("legend", legend);
      panel.put("options", options);
    }
    return panel;
  }

  /** One axis at the right became a list of axes, and whether the left one is drawn its side. */
  private static Map<Object, Object> axes(Map<Object, Object> panel) {
    if (!panel.getOrDefault("kind", USUAL).equals(USUAL)
        || !(panel.get("options") instanceof Map<?, ?>)) {
      return panel;
    }
    var options = options(panel);
    if (Boolean.FALSE.equals(options.remove("left-axis"))) {
      options.putIfAbsent("side", "hidden");
    }
    var right = new LinkedHashMap<String, Object>();
    for (var name : RIGHT) {
      var set = options.remove("right-" + name);
      if (set != null) {
        right.put(name, set);
      }
    }
    if (Boolean.FALSE.equals(options.remove("right-axis"))) {
      right.put("side", "hidden");
    }
    if (!right.isEmpty()) {
      options.putIfAbsent("axes", List.of(right));
    }
    panel.put("options", options);
    return panel;
  }

  private static Map<Object, Object> options(Map<Object, Object> panel) {
    return panel.get("options") instanceof Map<?, ?> o
        ? new LinkedHashMap<>(o)
        : new LinkedHashMap<>();
  }
}
