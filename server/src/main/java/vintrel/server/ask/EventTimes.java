package vintrel.server.ask;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.event.Records;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;

/** Times of records by their labels, the level among them. One thread. */
final class EventTimes {
  private static final int LEVELS = Event.LEVELS.size() + 1;

  private final Map<Labels, Times> all = new HashMap<>();

  /** Times that grow. */
  private static final class Times {
    private long[] at = new long[16];
    private int count;

    void add(long time) {
      at = count == at.length ? Arrays.copyOf(at, count * 2) : at;
      at[count++] = time;
    }

    long[] sorted() {
      var out = Arrays.copyOf(at, count);
      Arrays.sort(out);
      return out;
    }
  }

  void add(Records records, int[] passing) {
    var sets = records.labelSets();
    var known = new Times[sets.size() * LEVELS];
    for (int i : passing) {
      int key = records.labels(i) * LEVELS + records.level(i);
      if (known[key] == null) {
        var labels = labels(sets.get(records.labels(i)), Records.name(records.level(i)));
        known[key] = all.computeIfAbsent(labels, k -> new Times());
      }
      known[key].add(records.time(i));
    }
  }

  private static Labels labels(Labels own, String level) {
    var out = new TreeMap<>(own.asMap());
    out.keySet().removeAll(ExternalSources.COLUMNS);
    out.put("level", level);
    out.values().removeIf(String::isEmpty);
    return Labels.of(out);
  }

  /** By the first time of each. */
  Map<Labels, long[]> byLabels() {
    List<Map.Entry<Labels, long[]>> found = new ArrayList<>();
    all.forEach((labels, times) -> found.add(Map.entry(labels, times.sorted())));
    found.sort(
        Comparator.<Map.Entry<Labels, long[]>>comparingLong(e -> e.getValue()[0])
            .thenComparing(Map.Entry::getKey));
    var out = new LinkedHashMap<Labels, long[]>();
    found.forEach(e -> out.put(e.getKey(), e.getValue()));
    return out;
  }
}
