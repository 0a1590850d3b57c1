package vintrel.core.define;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.yaml.snakeyaml.LoaderOptions;
import org.yaml.snakeyaml.Yaml;
import org.yaml.snakeyaml.error.MarkedYAMLException;
import org.yaml.snakeyaml.error.YAMLException;
import org.yaml.snakeyaml.nodes.MappingNode;
import org.yaml.snakeyaml.nodes.Node;
import org.yaml.snakeyaml.nodes.ScalarNode;
import org.yaml.snakeyaml.nodes.SequenceNode;
import vintrel.core.collect.CollectorConfig;

/**
 * The file of a collector: a document of {@code kind: collector}, whose kind and name may be left
 * out.
 *
 * @param config null if there are faults
 * @param faults each with its line
 * @param warnings what works, but should not stay so
 */
public record CollectorFile(CollectorConfig config, List<Fault> faults, List<Fault> warnings) {
  /**
   * @param line from 1
   */
  public record Fault(int line, String text) {
    @Override
    public String toString() {
      return "line " + line + ": " + text;
    }
  }

  /**
   * Reads a file.
   *
   * @param name of the collector if the file gives none
   */
  public static CollectorFile parse(String text, String name) {
    Object read;
    Map<String, Integer> lines;
    try {
      read = Documents.one(text);
      lines = lines(text);
    } catch (MarkedYAMLException e) {
      int line = e.getProblemMark() == null ? 1 : e.getProblemMark().getLine() + 1;
      return failed(line, "is not valid YAML: " + e.getProblem());
    } catch (YAMLException e) {
      return failed(1, "is not valid YAML: " + e.getMessage());
    }
    if (!(read instanceof Map<?, ?> map)) {
      return failed(1, "must be an object with inputs");
    }
    var broken = Documents.fault(map, 0);
    if (broken != null) {
      return failed(1, broken);
    }
    var whole = new java.util.LinkedHashMap<Object, Object>(map);
    whole.putIfAbsent("kind", "collector");
    whole.putIfAbsent("name", name);
    var said = new ArrayList<String>();
    var done = Kinds.read(whole, 1, said);
    var path = Checker.cut(whole.get("kind")) + " " + Checker.cut(whole.get("name"));
    var faults = said.stream().map(f -> placed(f, path, lines)).toList();
    if (done == null) {
      return new CollectorFile(null, faults, List.of());
    }
    if (!(done.definition() instanceof Definition.OfCollector collector)) {
      return failed(1, "must be of kind collector");
    }
    var warnings =
        collector.config().exposed().stream()
            .map(
                field ->
                    new Fault(
                        line(field, lines),
                        field
                            + ": a secret stands in the file; put it into the environment and"
                            + " write ${NAME}"))
            .toList();
    return new CollectorFile(collector.config(), List.of(), warnings);
  }

  private static CollectorFile failed(int line, String text) {
    return new CollectorFile(null, List.of(new Fault(line, text)), List.of());
  }

  private static Fault placed(String fault, String path, Map<String, Integer> lines) {
    var local = fault.startsWith(path) ? fault.substring(path.length()) : fault;
    local = local.startsWith(".") || local.startsWith(": ") ? local.substring(1).strip() : local;
    int end = local.indexOf(": ");
    var field = end < 0 || local.substring(0, end).contains(" ") ? "" : local.substring(0, end);
    return new Fault(line(field, lines), local);
  }

  /** The line of a field, or of what it should stand in. */
  private static int line(String field, Map<String, Integer> lines) {
    for (var path = field;
        !path.isEmpty();
        path = path.replaceFirst("(\\.[^.\\[]*|\\[\\d+]|^[^.\\[]*)$", "")) {
      var line = lines.get(path);
      if (line != null) {
        return line;
      }
    }
    return 1;
  }

  private static Map<String, Integer> lines(String text) {
    var options = new LoaderOptions();
    options.setMaxAliasesForCollections(50);
    var out = new TreeMap<String, Integer>();
    var root = new Yaml(options).compose(new java.io.StringReader(text));
    if (root != null) {
      note(root, "", out, 0);
    }
    return out;
  }

  private static void note(Node node, String path, Map<String, Integer> out, int depth) {
    if (depth > 30) {
      return;
    }
    if (node instanceof MappingNode map) {
      for (var pair : map.getValue()) {
        if (pair.getKeyNode() instanceof ScalarNode key) {
          var at = path.isEmpty() ? key.getValue() : path + "." + key.getValue();
          out.put(at, key.getStartMark().getLine() + 1);
          note(pair.getValueNode(), at, out, depth + 1);
        }
      }
    } else if (node instanceof SequenceNode list) {
      for (int i = 0; i < list.getValue().size(); i++) {
        var at = path + "[" + i + "]";
        out.put(at, list.getValue().get(i).getStartMark().getLine() + 1);
        note(list.getValue().get(i), at, out, depth + 1);
      }
    }
  }
}
