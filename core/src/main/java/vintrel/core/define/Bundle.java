package vintrel.core.define;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.function.UnaryOperator;
import org.yaml.snakeyaml.DumperOptions;
import org.yaml.snakeyaml.LoaderOptions;
import org.yaml.snakeyaml.Yaml;
import org.yaml.snakeyaml.constructor.SafeConstructor;
import org.yaml.snakeyaml.error.YAMLException;
import vintrel.core.series.Admission;
import vintrel.core.tell.MessageText;

/** Several documents together. JSON is read as the YAML that it is. */
public record Bundle(List<Document> documents) {
  private static final int MOST_CHARACTERS = 8_000_000;
  private static final int MOST_DOCUMENTS = 5_000;

  /** Characters of one document, as the database keeps it. */
  private static final int MOST_OF_ONE = 900_000;

  private static final int DEEPEST = 30;

  /** A definition, and its document as one text in a canonical form. */
  public record Document(Definition definition, String text) {}

  /**
   * Reads and checks documents.
   *
   * @throws DefinitionException with all faults, each with document and path
   */
  public static Bundle parse(String text) {
    return parse(text, null);
  }

  /**
   * As above, without secrets: they are kept apart, and documents have references.
   *
   * @param keep keeps a secret and gives its reference, as {@link Concealing} wants it; null leaves
   *     all as it is
   */
  public static Bundle parse(String text, UnaryOperator<String> keep) {
    var faults = new ArrayList<String>();
    var documents = new ArrayList<Document>();
    var seen = new HashSet<String>();
    int number = 0;
    try {
      for (var loaded : yaml().loadAll(text)) {
        number++;
        if (number > MOST_DOCUMENTS) {
          faults.add("more than %,d documents; send them in parts".formatted(MOST_DOCUMENTS));
          break;
        }
        if (loaded == null) {
          continue;
        }
        if (!(loaded instanceof Map<?, ?> map)) {
          faults.add("document " + number + ": must be an object with kind and name");
          continue;
        }
        var fault = shape(map, 0);
        if (fault != null) {
          faults.add("document " + number + ": " + fault);
          continue;
        }
        map = keep == null ? map : Concealing.document(map, keep);
        var definition = DefinitionReader.read(map, number, faults);
        if (definition != null) {
          if (!seen.add(definition.kind() + "/" + definition.name())) {
            faults.add(definition.kind() + " " + definition.name() + ": stands here twice");
          }
          var canonical = canonical(map);
          if (canonical.length() > MOST_OF_ONE) {
            faults.add(
                definition.kind()
                    + " "
                    + definition.name()
                    + ": has %,d characters; at most %,d are kept"
                        .formatted(canonical.length(), MOST_OF_ONE));
          }
          documents.add(new Document(definition, canonical));
        }
      }
    } catch (YAMLException | ClassCastException e) {
      faults.add("document " + (number + 1) + ": " + e.getMessage());
    } catch (StackOverflowError e) {
      faults.add("document " + (number + 1) + ": nests too deep");
    }
    if (!faults.isEmpty()) {
      throw new DefinitionException(faults);
    }
    return new Bundle(List.copyOf(documents));
  }

  /**
   * A rule's document that an earlier version took, without what is refused now: a rule that
   * watches must not stop because its runbook is no address. Other documents are as they were.
   */
  public static String mended(String document) {
    Map<String, Object> map = yaml().load(document);
    if (!"rule".equals(map.get("kind"))) {
      return document;
    }
    var runbook = String.valueOf(map.get("runbook"));
    if (DefinitionReader.runbookFault(runbook) != null) {
      map.remove("runbook");
    }
    if (MessageText.fault(String.valueOf(map.get("summary"))) != null) {
      map.remove("summary");
    }
    DefinitionReader.LONGEST.forEach(
        (key, most) -> {
          if (map.get(key) instanceof String text && text.strip().length() > most) {
            map.put(key, text.strip().substring(0, most));
          }
        });
    return canonical(map);
  }

  /**
   * A dashboard's document with its panels at other places.
   *
   * @param places by panel id: column, row, width, height
   */
  public static String rearrange(String document, Map<String, List<Integer>> places) {
    Map<String, Object> map = yaml().load(document);
    if (map.get("panels") instanceof List<?> panels) {
      for (var panel : panels) {
        if (panel instanceof Map<?, ?> p) {
          @SuppressWarnings("unchecked")
          var changed = (Map<String, Object>) p;
          var id =
              p.get("id") == null
                  ? DefinitionReader.panelId("" + p.get("title"))
                  : "" + p.get("id");
          if (places.containsKey(id)) {
            changed.put("at", places.get(id));
          }
        }
      }
    }
    return canonical(map);
  }

  /** One document as text. */
  public static String text(Map<String, Object> document) {
    return canonical(document);
  }

  /**
   * A dashboard's document with a panel more, half as wide as the grid and below all others; its id
   * is made unlike theirs.
   */
  public static String withPanel(String document, Map<String, Object> panel) {
    Map<String, Object> map = yaml().load(document);
    var panels = new ArrayList<Object>();
    var ids = new HashSet<String>();
    int row = 1;
    if (map.get("panels") instanceof List<?> known) {
      panels.addAll(known);
      for (var k : known) {
        if (k instanceof Map<?, ?> p) {
          ids.add(
              p.get("id") == null
                  ? DefinitionReader.panelId("" + p.get("title"))
                  : "" + p.get("id"));
          if (p.get("at") instanceof List<?> at
              && at.size() == 4
              && at.get(1) instanceof Integer top
              && at.get(3) instanceof Integer height) {
            row = Math.max(row, top + height);
          }
        }
      }
    }
    var added = new java.util.LinkedHashMap<>(panel);
    var id = DefinitionReader.panelId("" + panel.get("title"));
    var free = id;
    for (int n = 2; ids.contains(free); n++) {
      free = id + "-" + n;
    }
    if (!free.equals(id)) {
      added.put("id", free);
    }
    added.put("at", List.of(1, row, 6, 7));
    panels.add(added);
    map.put("panels", panels);
    return canonical(map);
  }

  /** Why a document can't be one, before anything of it is read; null where it can. */
  private static String shape(Object node, int depth) {
    if (depth > DEEPEST) {
      return "nests more than " + DEEPEST + " deep, or holds itself";
    }
    if (node instanceof Map<?, ?> map) {
      for (var e : map.entrySet()) {
        if (!(e.getKey() instanceof String)) {
          return "a key must be a text, not " + Spec.cut(e.getKey());
        }
        var fault = shape(e.getValue(), depth + 1);
        if (fault != null) {
          return fault;
        }
      }
    } else if (node instanceof List<?> list) {
      for (var v : list) {
        var fault = shape(v, depth + 1);
        if (fault != null) {
          return fault;
        }
      }
    } else if (node instanceof String s && !Admission.text(s)) {
      return "a text holds a NUL or half a character: " + Spec.cut(Admission.whole(s));
    }
    return null;
  }

  private static Yaml yaml() {
    var options = new LoaderOptions();
    options.setCodePointLimit(MOST_CHARACTERS);
    options.setMaxAliasesForCollections(50);
    options.setAllowDuplicateKeys(false);
    options.setAllowRecursiveKeys(false);
    options.setNestingDepthLimit(DEEPEST);
    return new Yaml(new SafeConstructor(options));
  }

  private static String canonical(Map<?, ?> map) {
    var options = new DumperOptions();
    options.setDefaultFlowStyle(DumperOptions.FlowStyle.BLOCK);
    options.setDefaultScalarStyle(DumperOptions.ScalarStyle.PLAIN);
    options.setSplitLines(false);
    return new Yaml(options).dump(map);
  }
}
