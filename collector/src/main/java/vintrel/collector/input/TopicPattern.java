package vintrel.collector.input;

import java.util.Map;
import java.util.TreeMap;

/** Labels from the levels of a topic: {@code quay/{gate}/scanner}. Immutable. */
record TopicPattern(String[] levels) {
  static TopicPattern of(String pattern) {
    return new TopicPattern(pattern.isEmpty() ? new String[0] : pattern.split("/", -1));
  }

  /** The labels of a topic; none if it has other levels. */
  Map<String, String> labels(String topic) {
    var out = new TreeMap<String, String>();
    var given = topic.split("/", -1);
    for (int i = 0; i < levels.length; i++) {
      var level = levels[i];
      if (i >= given.length) {
        return Map.of();
      }
      if (level.startsWith("{") && level.endsWith("}")) {
        out.put(level.substring(1, level.length() - 1), given[i]);
      } else if (level.equals("#")) {
        return out;
      } else if (!level.equals("+") && !level.equals(given[i])) {
        return Map.of();
      }
    }
    return given.length == levels.length ? out : Map.of();
  }
}
