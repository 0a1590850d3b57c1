package vintrel.core.series;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.Predicate;
import java.util.function.UnaryOperator;

/**
 * An immutable set of label names with a value each, kept sorted by name. A label whose value is
 * empty counts as absent, as in OpenMetrics, and is dropped.
 */
public final class Labels implements Comparable<Labels> {
  public static final Labels NONE = new Labels(new String[0]);

  /** name, value, name, value, …; sorted by name. */
  private final String[] pairs;

  private final int hash;

  private Labels(String[] pairs) {
    this.pairs = pairs;
    this.hash = Arrays.hashCode(pairs);
  }

  /** Labels of name, value, name, value, …; a repeated name keeps the last value. */
  public static Labels of(String... namesAndValues) {
    if (namesAndValues.length % 2 != 0) {
      throw new IllegalArgumentException("a label name has no value: " + namesAndValues.length);
    }
    var map = new TreeMap<String, String>();
    for (int i = 0; i < namesAndValues.length; i += 2) {
      map.put(namesAndValues[i], namesAndValues[i + 1]);
    }
    return of(map);
  }

  public static Labels of(Map<String, String> map) {
    var sorted = map instanceof TreeMap<String, String> t ? t : new TreeMap<>(map);
    var out = new ArrayList<String>(sorted.size() * 2);
    sorted.forEach(
        (name, value) -> {
          if (value != null && !value.isEmpty()) {
            out.add(name);
            out.add(value);
          }
        });
    return out.isEmpty() ? NONE : new Labels(out.toArray(String[]::new));
  }

  /** The value of a label, or null if it is absent. */
  public String get(String name) {
    for (int i = 0; i < pairs.length; i += 2) {
      if (pairs[i].equals(name)) {
        return pairs[i + 1];
      }
    }
    return null;
  }

  public int size() {
    return pairs.length / 2;
  }

  public boolean isEmpty() {
    return pairs.length == 0;
  }

  public String name(int i) {
    return pairs[2 * i];
  }

  public String value(int i) {
    return pairs[2 * i + 1];
  }

  public List<String> names() {
    var out = new ArrayList<String>(size());
    for (int i = 0; i < pairs.length; i += 2) {
      out.add(pairs[i]);
    }
    return out;
  }

  public Labels keep(Collection<String> names) {
    return filter(names::contains);
  }

  public Labels drop(Collection<String> names) {
    return filter(n -> !names.contains(n));
  }

  public Labels with(String name, String value) {
    var map = new TreeMap<>(asMap());
    map.put(name, value);
    return of(map);
  }

  /** These, and those of others whose names are not among them. */
  public Labels and(Labels others) {
    if (others.isEmpty()) {
      return this;
    }
    var map = new TreeMap<>(others.asMap());
    map.putAll(asMap());
    return map.size() == size() ? this : of(map);
  }

  public Map<String, String> asMap() {
    var out = new LinkedHashMap<String, String>();
    for (int i = 0; i < pairs.length; i += 2) {
      out.put(pairs[i], pairs[i + 1]);
    }
    return out;
  }

  /** Equal labels with other copies of the texts. */
  Labels map(UnaryOperator<String> copy) {
    if (pairs.length == 0) {
      return this;
    }
    var out = new String[pairs.length];
    Arrays.setAll(out, i -> copy.apply(pairs[i]));
    return new Labels(out);
  }

  private Labels filter(Predicate<String> wanted) {
    var out = new ArrayList<String>(pairs.length);
    for (int i = 0; i < pairs.length; i += 2) {
      if (wanted.test(pairs[i])) {
        out.add(pairs[i]);
        out.add(pairs[i + 1]);
      }
    }
    return out.size() == pairs.length
        ? this
        : out.isEmpty() ? NONE : new Labels(out.toArray(String[]::new));
  }

  @Override
  public boolean equals(Object o) {
    return o instanceof Labels other && hash == other.hash && Arrays.equals(pairs, other.pairs);
  }

  @Override
  public int hashCode() {
    return hash;
  }

  @Override
  public int compareTo(Labels other) {
    return Arrays.compare(pairs, other.pairs);
  }

  /** For people: {@code host nq-app-1, site north-quay}. */
  @Override
  public String toString() {
    var out = new StringBuilder();
    for (int i = 0; i < pairs.length; i += 2) {
      out.append(i == 0 ? "" : ", ").append(pairs[i]).append(' ').append(pairs[i + 1]);
    }
    return out.toString();
  }
}
