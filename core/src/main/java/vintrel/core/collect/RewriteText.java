package vintrel.core.collect;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Collectors;
import vintrel.core.collect.LabelRewrite.Step;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.QueryException;

/**
 * Steps of a rewrite as people write them, one per line:
 *
 * <pre>
 * keep where metric like 'http.%'
 * drop where le = '0.1'
 * rename instance to host, pod to unit
 * remove pod, container
 * set site to '{1}' from host matching '([a-z]+)-.*'
 * </pre>
 *
 * Conditions are those of the query language. Any thread.
 */
public final class RewriteText {
  /** Steps of one job. */
  public static final int MAX_STEPS = 50;

  private static final String NAME = "[A-Za-z_][A-Za-z0-9_.\\-/]*";
  private static final String TEXT = "'((?:[^'\\\\]|\\\\.)*)'";
  private static final java.util.regex.Pattern RENAME =
      java.util.regex.Pattern.compile("\\s*(" + NAME + ")\\s+to\\s+(" + NAME + ")\\s*");
  private static final java.util.regex.Pattern SET =
      java.util.regex.Pattern.compile("\\s*(" + NAME + ")\\s+to\\s+" + TEXT + "\\s*(,|$|from\\b)");
  private static final java.util.regex.Pattern FROM =
      java.util.regex.Pattern.compile("\\s*(" + NAME + ")\\s+matching\\s+" + TEXT + "\\s*");

  private RewriteText() {}

  /**
   * A step.
   *
   * @throws IllegalArgumentException saying what is wrong
   */
  public static Step parse(String line) {
    var text = line.strip();
    int space = text.indexOf(' ');
    var verb = space < 0 ? text : text.substring(0, space);
    var rest = space < 0 ? "" : text.substring(space + 1).strip();
    return switch (verb) {
      case "keep" -> new LabelRewrite.Keep(condition(rest));
      case "drop" -> new LabelRewrite.Drop(condition(rest));
      case "rename" -> rename(rest);
      case "remove" -> remove(rest);
      case "set" -> set(rest);
      default ->
          throw new IllegalArgumentException(
              "begins with keep, drop, rename, remove or set, not '" + cut(verb) + "'");
    };
  }

  /** All steps of a text; blank lines and lines that begin with # are left out. */
  public static LabelRewrite parseAll(String text) {
    var steps = new ArrayList<Step>();
    int number = 0;
    for (var line : text.lines().toList()) {
      number++;
      if (!line.isBlank() && !line.strip().startsWith("#")) {
        try {
          steps.add(parse(line));
        } catch (IllegalArgumentException e) {
          throw new IllegalArgumentException("line " + number + ": " + e.getMessage());
        }
      }
    }
    if (steps.size() > MAX_STEPS) {
      throw new IllegalArgumentException("has more than " + MAX_STEPS + " steps");
    }
    return new LabelRewrite(steps);
  }

  private static String cut(String text) {
    return text.length() > 40 ? text.substring(0, 40) + "…" : text;
  }

  private static vintrel.core.series.Condition condition(String rest) {
    var text = rest.startsWith("where ") ? rest.substring(6) : rest;
    if (text.isBlank()) {
      throw new IllegalArgumentException("needs a condition, for example: where le = '0.1'");
    }
    try {
      return Parser.parseCondition(text);
    } catch (QueryException e) {
      throw new IllegalArgumentException("the condition: " + e.getMessage());
    }
  }

  private static Step rename(String rest) {
    var names = new LinkedHashMap<String, String>();
    for (var part : rest.split(",", -1)) {
      var m = RENAME.matcher(part);
      if (!m.matches()) {
        throw new IllegalArgumentException("needs two labels, for example: rename pod to unit");
      }
      names.put(m.group(1), m.group(2));
    }
    if (names.containsKey(LabelRewrite.METRIC) || names.containsValue(LabelRewrite.METRIC)) {
      throw new IllegalArgumentException("a metric's name is changed by: set metric to '…'");
    }
    return new LabelRewrite.Rename(names);
  }

  private static Step remove(String rest) {
    var labels = new ArrayList<String>();
    for (var part : rest.split(",", -1)) {
      var label = part.strip();
      if (!label.matches(NAME)) {
        throw new IllegalArgumentException("needs labels, for example: remove pod, container");
      }
      if (label.equals(LabelRewrite.METRIC)) {
        throw new IllegalArgumentException("a series without a name can't be stored; use drop");
      }
      labels.add(label);
    }
    return new LabelRewrite.Remove(labels);
  }

  private static Step set(String rest) {
    var values = new LinkedHashMap<String, String>();
    var m = SET.matcher(rest);
    int at = 0;
    boolean from = false;
    while (m.find(at) && m.start() == at && !from) {
      values.put(m.group(1), unescaped(m.group(2)));
      at = m.end();
      from = m.group(3).equals("from");
      if (m.group(3).isEmpty()) {
        break;
      }
    }
    if (values.isEmpty() || !from && at < rest.length()) {
      throw new IllegalArgumentException(
          "needs a label and a text, for example: set site to 'north-quay'");
    }
    if (!from) {
      return new LabelRewrite.Set(values, null, null);
    }
    var f = FROM.matcher(rest.substring(at));
    if (!f.matches()) {
      throw new IllegalArgumentException(
          "`from` needs a label and a pattern, for example: from host matching '([a-z]+)-.*'");
    }
    try {
      return new LabelRewrite.Set(values, f.group(1), Pattern.compile(unescaped(f.group(2))));
    } catch (PatternSyntaxException e) {
      throw new IllegalArgumentException("the pattern: " + e.getMessage());
    }
  }

  /** A quote within a text is written with a backslash; other backslashes belong to the text. */
  private static String unescaped(String text) {
    return text.replace("\\'", "'");
  }

  private static String quoted(String text) {
    return "'" + text.replace("'", "\\'") + "'";
  }

  /** A step as it is read again. */
  public static String text(Step step) {
    return switch (step) {
      case LabelRewrite.Keep k -> "keep where " + Printer.print(k.where());
      case LabelRewrite.Drop d -> "drop where " + Printer.print(d.where());
      case LabelRewrite.Rename r -> "rename " + joined(r.names(), false);
      case LabelRewrite.Remove r -> "remove " + String.join(", ", r.labels());
      case LabelRewrite.Set s ->
          "set "
              + joined(s.values(), true)
              + (s.from() == null
                  ? ""
                  : " from " + s.from() + " matching " + quoted(s.pattern().pattern()));
    };
  }

  private static String joined(Map<String, String> map, boolean texts) {
    return new TreeMap<>(map)
        .entrySet().stream()
            .map(e -> e.getKey() + " to " + (texts ? quoted(e.getValue()) : e.getValue()))
            .collect(Collectors.joining(", "));
  }

  public static String text(LabelRewrite rewrite) {
    return rewrite.steps().stream().map(RewriteText::text).collect(Collectors.joining("\n"));
  }
}
