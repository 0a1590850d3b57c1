package vintrel.server.web;

import java.lang.reflect.RecordComponent;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.springframework.boot.EnvironmentPostProcessor;
import org.springframework.boot.SpringApplication;
import org.springframework.core.env.ConfigurableEnvironment;
import vintrel.core.query.syntax.Vocabulary;

/**
 * Names variables {@code VINTREL_…} that set nothing, mostly typing errors: one line for each, and
 * the server starts all the same.
 */
public final class UnknownVariables implements EnvironmentPostProcessor {
  private static final String PREFIX = "VINTREL_";

  /** What the script ./vintrel reads, collectors, and the bench. */
  private static final Set<String> OTHERS =
      Set.of(
          "VINTREL_PORT",
          "VINTREL_MEMORY",
          "VINTREL_AOT",
          "VINTREL_URL",
          "VINTREL_TOKEN",
          "VINTREL_RUNS",
          "VINTREL_BENCH_HOURS");

  @Override
  public void postProcessEnvironment(
      ConfigurableEnvironment environment, SpringApplication application) {
    // Before there is a log.
    faults(System.getenv()).forEach(System.err::println);
  }

  /** A sentence for each variable that sets nothing. */
  static List<String> faults(Map<String, String> variables) {
    var known = new TreeMap<String, String>();
    collect(Settings.class, PREFIX, known);
    EarlierSettings.RENAMED.keySet().forEach(old -> add(PREFIX + variable(old), known));
    OTHERS.forEach(name -> add(name, known));
    var out = new ArrayList<String>();
    for (var name : new TreeSet<>(variables.keySet())) {
      if (name.startsWith(PREFIX) && !known.containsKey(plain(name))) {
        var near = nearest(plain(name), known);
        out.add(
            "vintrel: the variable %s sets nothing%s"
                .formatted(name, near.isEmpty() ? "" : "; did you mean " + near + "?"));
      }
    }
    return out;
  }

  private static void collect(Class<?> type, String prefix, Map<String, String> into) {
    for (RecordComponent part : type.getRecordComponents()) {
      var name = prefix + part.getName().toUpperCase(Locale.ROOT);
      if (part.getType().isRecord()) {
        collect(part.getType(), name + "_", into);
      } else {
        add(name, into);
      }
    }
  }

  private static void add(String name, Map<String, String> into) {
    into.put(plain(name), name);
  }

  private static String variable(String property) {
    return property.replace("-", "").replace('.', '_').toUpperCase(Locale.ROOT);
  }

  /** Words of a name can be set apart or not. */
  private static String plain(String name) {
    return name.replace("_", "");
  }

  private static String nearest(String name, Map<String, String> known) {
    int best = Math.max(2, name.length() / 6) + 1;
    var found = "";
    for (var e : known.entrySet()) {
      int distance = Vocabulary.distance(name, e.getKey());
      if (distance < best) {
        best = distance;
        found = e.getValue();
      }
    }
    return found;
  }
}
