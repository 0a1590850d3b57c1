package vintrel.core.wire;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.series.Labels;
import vintrel.core.unit.Globs;

/**
 * Which attributes of an OTLP resource become labels; the others are kept aside, where they can be
 * searched. The first rule that names an attribute decides; one that none names becomes a label.
 * Any thread.
 */
public record ResourceRules(List<Rule> rules) {
  /** Every attribute becomes a label. */
  public static final ResourceRules ALL = new ResourceRules(List.of());

  /**
   * Without a definition: what describes a process or its runtime and changes with each start is
   * kept aside. A process id is a label only if nothing else tells two processes of a service on a
   * host apart.
   */
  public static final ResourceRules USUAL =
      new ResourceRules(
          List.of(
              parse(
                  "aside process.pid, process.parent_pid, process.command*, process.executable.*,"
                      + " process.owner, process.runtime.*, process.creation.*,"
                      + " process.working_directory, process.title, process.args_count"),
              parse("aside os.*, telemetry.*, host.id, host.arch, host.ip, host.mac, host.cpu.*"),
              parse("aside host.image.*, process.linux.*, process.vpid, process.user.*")));

  private static final String PROCESS = "process.pid";
  private static final String INSTANCE = "instance";

  public static final int MAX_RULES = 100;
  private static final int MAX_LINE = 2_000;

  /**
   * @param label whether what it names becomes a label
   * @param names of attributes as the sender writes them, or labels; {@code *} stands for any
   *     characters
   */
  public record Rule(boolean label, List<String> names) {
    boolean names(String label) {
      return names.stream()
          .anyMatch(n -> Globs.fits(n, label) || Globs.fits(n, OtlpNames.attribute(label)));
    }
  }

  /** The attributes of a resource. */
  public record Parts(TreeMap<String, String> labels, TreeMap<String, String> aside) {}

  /**
   * Reads a rule, written {@code label service.name, host.*} or {@code aside process.*}.
   *
   * @throws IllegalArgumentException saying what is wrong
   */
  public static Rule parse(String line) {
    var text = line.strip();
    int space = text.indexOf(' ');
    var verb = space < 0 ? text : text.substring(0, space);
    if (!verb.equals("label") && !verb.equals("aside")) {
      throw new IllegalArgumentException("must begin with label or aside, not '" + cut(verb) + "'");
    }
    var names = new ArrayList<String>();
    for (var name : space < 0 ? new String[0] : text.substring(space + 1).split(",")) {
      var n = name.strip();
      if (n.isEmpty() || n.chars().anyMatch(Character::isWhitespace)) {
        throw new IllegalArgumentException(
            "'" + cut(n) + "' is not the name of an attribute; put commas between names");
      }
      names.add(n);
    }
    if (names.isEmpty() || text.length() > MAX_LINE) {
      throw new IllegalArgumentException(
          names.isEmpty()
              ? "names no attribute; write for example aside process.*"
              : "is longer than %,d characters".formatted(MAX_LINE));
    }
    return new Rule(verb.equals("label"), List.copyOf(names));
  }

  /** A rule as {@link #parse} reads it. */
  public static String write(Rule rule) {
    return (rule.label() ? "label " : "aside ") + String.join(", ", rule.names());
  }

  private static String cut(String text) {
    return text.length() <= 40 ? text : text.substring(0, 40) + "…";
  }

  /** Whether an attribute becomes a label; named as its label is. */
  public boolean isLabel(String label) {
    for (var rule : rules) {
      if (rule.names(label)) {
        return rule.label();
      }
    }
    return true;
  }

  /** Parts the attributes of a resource, which are named as their labels are. */
  public Parts part(Map<String, String> attributes) {
    if (rules.isEmpty()) {
      return new Parts(new TreeMap<>(attributes), new TreeMap<>());
    }
    var out = new Parts(new TreeMap<>(), new TreeMap<>());
    attributes.forEach((k, v) -> (isLabel(k) ? out.labels() : out.aside()).put(k, v));
    if (this == USUAL && !attributes.containsKey(INSTANCE) && out.aside().containsKey(PROCESS)) {
      out.labels().put(PROCESS, out.aside().remove(PROCESS));
    }
    return out;
  }

  /** Parts attributes, and tells a sink. */
  Map<String, String> labels(Map<String, String> attributes, SampleSink sink) {
    var parts = part(attributes);
    sink.resource(Labels.of(parts.labels()), parts.aside());
    return parts.labels();
  }
}
