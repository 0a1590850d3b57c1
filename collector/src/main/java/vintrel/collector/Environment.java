package vintrel.collector;

import java.util.Collection;
import java.util.HashMap;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.UnaryOperator;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/** Puts values of the environment in the place of {@code ${NAME}}. Any thread. */
final class Environment implements UnaryOperator<String> {
  private static final Pattern NAME = Pattern.compile("\\$\\{([A-Za-z_][A-Za-z0-9_]*)}");

  private final Map<String, String> values;
  private final TreeSet<String> missing = new TreeSet<>();

  Environment(Map<String, String> values) {
    this.values = values;
  }

  /** With some of its names alone. */
  Environment only(Collection<String> names) {
    var some = new HashMap<>(values);
    some.keySet().retainAll(names);
    return new Environment(some);
  }

  /** The names that a text asks for. */
  static Set<String> names(String text) {
    return NAME.matcher(text).results().map(m -> m.group(1)).collect(Collectors.toSet());
  }

  @Override
  public synchronized String apply(String text) {
    return NAME.matcher(text)
        .replaceAll(
            m -> {
              var value = values.get(m.group(1));
              if (value == null) {
                missing.add(m.group(1));
              }
              return java.util.regex.Matcher.quoteReplacement(value == null ? "" : value);
            });
  }

  /** Names that were asked for and are not there. */
  synchronized TreeSet<String> missing() {
    return new TreeSet<>(missing);
  }
}
