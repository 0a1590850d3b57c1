package vintrel.core.define;

import java.util.List;
import java.util.Map;
import org.yaml.snakeyaml.DumperOptions;
import org.yaml.snakeyaml.LoaderOptions;
import org.yaml.snakeyaml.Yaml;
import org.yaml.snakeyaml.constructor.SafeConstructor;
import org.yaml.snakeyaml.nodes.Node;
import org.yaml.snakeyaml.nodes.Tag;
import org.yaml.snakeyaml.representer.Representer;
import vintrel.core.series.Admission;

/** Documents ↔ YAML, which JSON is part of. */
final class Documents {
  private static final int MAX_CHARACTERS = 8_000_000;
  private static final int MAX_DEPTH = 30;

  private Documents() {}

  /** All documents of a text, as they are read. */
  static Iterable<Object> all(String text) {
    return yaml().loadAll(text);
  }

  /** The only document of a text; several are a fault of YAML. */
  static Object one(String text) {
    return yaml().load(text);
  }

  /** One document. */
  static Map<String, Object> map(String text) {
    return yaml().load(text);
  }

  /** As YAML. Texts of several lines stay so. */
  static String text(Map<?, ?> map) {
    var options = new DumperOptions();
    options.setDefaultFlowStyle(DumperOptions.FlowStyle.BLOCK);
    options.setDefaultScalarStyle(DumperOptions.ScalarStyle.PLAIN);
    options.setSplitLines(false);
    return new Yaml(new Lines(options), options).dump(map);
  }

  private static final class Lines extends Representer {
    Lines(DumperOptions options) {
      super(options);
    }

    @Override
    protected Node representScalar(Tag tag, String value, DumperOptions.ScalarStyle style) {
      boolean lines = tag.equals(Tag.STR) && value.indexOf('\n') >= 0;
      return super.representScalar(tag, value, lines ? DumperOptions.ScalarStyle.LITERAL : style);
    }
  }

  /**
   * What no document can have, whatever its kind: deep nesting, keys that are no texts; or null.
   */
  static String fault(Object node, int depth) {
    if (depth > MAX_DEPTH) {
      return "nests more than " + MAX_DEPTH + " deep, or holds itself";
    }
    if (node instanceof Map<?, ?> map) {
      for (var e : map.entrySet()) {
        if (!(e.getKey() instanceof String)) {
          return "a key must be a text, not " + Checker.cut(e.getKey());
        }
        var fault = fault(e.getValue(), depth + 1);
        if (fault != null) {
          return fault;
        }
      }
    } else if (node instanceof List<?> list) {
      for (var v : list) {
        var fault = fault(v, depth + 1);
        if (fault != null) {
          return fault;
        }
      }
    } else if (node instanceof String s && !Admission.text(s)) {
      return "a text holds a NUL or half a character: " + Checker.cut(Admission.whole(s));
    }
    return null;
  }

  private static Yaml yaml() {
    var options = new LoaderOptions();
    options.setCodePointLimit(MAX_CHARACTERS);
    options.setMaxAliasesForCollections(50);
    options.setAllowDuplicateKeys(false);
    options.setAllowRecursiveKeys(false);
    options.setNestingDepthLimit(MAX_DEPTH);
    return new Yaml(new SafeConstructor(options));
  }
}
