package vintrel.server.watch;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.TreeSet;
import java.util.stream.Collectors;
import vintrel.core.series.Labels;

/**
 * Short names of series that stand together: the values of the labels that tell them apart.
 *
 * @param keys the labels that are needed, in the order of names
 */
record SeriesNames(List<String> keys) {

  static SeriesNames of(List<Labels> all) {
    var keys = new TreeSet<String>();
    all.forEach(l -> keys.addAll(l.asMap().keySet()));
    var needed = new ArrayList<>(keys);
    // The last ones go first: a site is known by its host.
    for (int i = needed.size() - 1; i >= 0 && needed.size() > 1; i--) {
      var without = new ArrayList<>(needed);
      without.remove(i);
      if (distinct(all, without) == all.size()) {
        needed.remove(i);
      }
    }
    return new SeriesNames(List.copyOf(needed));
  }

  private static int distinct(List<Labels> all, List<String> keys) {
    var out = new HashSet<String>();
    all.forEach(l -> out.add(values(l, keys)));
    return out.size();
  }

  private static String values(Labels labels, List<String> keys) {
    var map = labels.asMap();
    return keys.stream().map(k -> map.getOrDefault(k, "–")).collect(Collectors.joining(", "));
  }

  /** Their labels, as the head of a column. */
  String head() {
    return keys.isEmpty() ? "Series" : String.join(", ", keys);
  }

  String of(Labels labels) {
    return labels.isEmpty() ? "all" : values(labels, keys);
  }
}
