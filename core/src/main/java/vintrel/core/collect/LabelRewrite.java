package vintrel.core.collect;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;

/**
 * What happens to the name and the labels of a series on its way in: steps in order, each on the
 * result of the one before. Conditions see the metric's name as the label {@code metric}, which
 * steps can change like any other. Immutable; any thread.
 */
public record LabelRewrite(List<Step> steps) {
  /** The name under which a metric's own name is read and set. */
  public static final String METRIC = "metric";

  private static final java.util.regex.Pattern GROUP = java.util.regex.Pattern.compile("\\{(\\d)}");

  public static final LabelRewrite NONE = new LabelRewrite(List.of());

  public LabelRewrite {
    steps = List.copyOf(steps);
  }

  /** One operation. */
  public sealed interface Step {}

  /** Only series that meet the condition go on. */
  public record Keep(Condition where) implements Step {}

  /** Series that meet the condition are left out. */
  public record Drop(Condition where) implements Step {}

  /** Labels get other names; one that is absent stays so. A label of the new name is replaced. */
  public record Rename(Map<String, String> names) implements Step {
    public Rename {
      names = Map.copyOf(names);
    }
  }

  /** Labels are removed. */
  public record Remove(List<String> labels) implements Step {
    public Remove {
      labels = List.copyOf(labels);
    }
  }

  /**
   * Labels get values.
   *
   * @param values texts; {1}, {2} … are replaced by the groups of the pattern, {0} by the whole
   *     match
   * @param from the label that the pattern looks at, or null: always set
   * @param pattern must match the whole value, else nothing is set; null without {@code from}
   */
  public record Set(Map<String, String> values, String from, Pattern pattern) implements Step {
    public Set {
      values = Map.copyOf(values);
    }
  }

  /** A series after all steps. */
  public record Result(String metric, Labels labels) {}

  /** The series as it goes in, or null if it is left out. */
  public Result apply(String metric, Labels labels) {
    if (steps.isEmpty()) {
      return new Result(metric, labels);
    }
    var now = new TreeMap<>(labels.asMap());
    // A label of this name stays as it is: steps mean the metric's name.
    var own = labels.get(METRIC);
    now.put(METRIC, metric);
    for (var step : steps) {
      switch (step) {
        case Keep k -> {
          if (!k.where().test(Labels.of(now))) {
            return null;
          }
        }
        case Drop d -> {
          if (d.where().test(Labels.of(now))) {
            return null;
          }
        }
        case Rename r -> rename(r, now);
        case Remove r -> r.labels().forEach(l -> removeLabel(now, l));
        case Set s -> set(s, now);
      }
    }
    var name = now.remove(METRIC);
    if (own != null) {
      now.put(METRIC, own);
    }
    now.values().removeIf(String::isEmpty);
    return new Result(name, Labels.of(now));
  }

  private static void removeLabel(TreeMap<String, String> labels, String name) {
    if (!name.equals(METRIC)) {
      labels.remove(name);
    }
  }

  /** All at once, so that two names can be exchanged. */
  private static void rename(Rename r, TreeMap<String, String> now) {
    var before = new TreeMap<>(now);
    r.names().forEach((old, name) -> removeLabel(now, old));
    r.names()
        .forEach(
            (old, name) -> {
              var value = before.get(old);
              if (value != null) {
                now.put(name, value);
              }
            });
  }

  private static void set(Set s, TreeMap<String, String> now) {
    if (s.from() == null) {
      now.putAll(s.values());
      return;
    }
    var value = now.get(s.from());
    var match = value == null ? null : s.pattern().matcher(value);
    if (match == null || !match.matches()) {
      return;
    }
    s.values().forEach((label, text) -> now.put(label, filled(text, match)));
  }

  private static String filled(String text, Matcher match) {
    return GROUP
        .matcher(text)
        .replaceAll(
            m -> {
              int g = Integer.parseInt(m.group(1));
              var group = g <= match.groupCount() ? match.group(g) : null;
              return java.util.regex.Matcher.quoteReplacement(group == null ? "" : group);
            });
  }
}
