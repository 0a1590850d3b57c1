package vintrel.core.define;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.UnaryOperator;
import org.yaml.snakeyaml.error.YAMLException;
import vintrel.core.tell.MessageText;

/** Several documents together. JSON is read as the YAML that it is. */
public record Bundle(List<Document> documents) {
  private static final int MAX_DOCUMENTS = 5_000;

  /** Characters of one document, as the database stores it. */
  private static final int MAX_TEXT = 900_000;

  /**
   * A definition and its document.
   *
   * @param content the document in canonical form
   * @param text the same as YAML
   */
  public record Document(Definition definition, Map<String, Object> content, String text) {
    /** The document of a definition. */
    public static Document of(Definition definition) {
      var content = Kinds.write(definition);
      return new Document(definition, content, Documents.text(content));
    }

    /** The kind and name, which are unique together. */
    public String key() {
      return definition.kind() + "/" + definition.name();
    }
  }

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
      for (var loaded : Documents.all(text)) {
        number++;
        if (number > MAX_DOCUMENTS) {
          faults.add("more than %,d documents; send them in parts".formatted(MAX_DOCUMENTS));
          break;
        }
        var document = loaded == null ? null : read(loaded, number, keep, faults);
        if (document == null) {
          continue;
        }
        var label = document.definition().kind() + " " + document.definition().name();
        if (!seen.add(document.key())) {
          faults.add(label + ": defined twice");
        }
        if (document.text().length() > MAX_TEXT) {
          faults.add(
              label
                  + ": has %,d characters; the limit is %,d"
                      .formatted(document.text().length(), MAX_TEXT));
        }
        documents.add(document);
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

  private static Document read(
      Object loaded, int number, UnaryOperator<String> keep, List<String> faults) {
    if (!(loaded instanceof Map<?, ?> map)) {
      faults.add("document " + number + ": must be an object with kind and name");
      return null;
    }
    var fault = Documents.fault(map, 0);
    if (fault != null) {
      faults.add("document " + number + ": " + fault);
      return null;
    }
    var read = Kinds.read(keep == null ? map : Concealing.document(map, keep), number, faults);
    return read == null
        ? null
        : new Document(read.definition(), read.content(), Documents.text(read.content()));
  }

  /**
   * One document with a kind and a name, which it may lack.
   *
   * @throws DefinitionException if it is no object, or has another kind or name
   */
  public static String named(String text, String kind, String name) {
    try {
      if (!(Documents.one(text) instanceof Map<?, ?> map)) {
        throw new DefinitionException(List.of("the document must be an object"));
      }
      var out = new LinkedHashMap<Object, Object>();
      out.put("kind", kind);
      out.put("name", name);
      out.putAll(map);
      for (var key : List.of("kind", "name")) {
        var wanted = key.equals("kind") ? kind : name;
        if (!wanted.equals(String.valueOf(out.get(key)))) {
          throw new DefinitionException(
              List.of(
                  "%s: is '%s', but the address has '%s'"
                      .formatted(key, Checker.cut(out.get(key)), Checker.cut(wanted))));
        }
      }
      return Documents.text(out);
    } catch (YAMLException | ClassCastException e) {
      throw new DefinitionException(List.of("the document can't be read: " + e.getMessage()));
    } catch (StackOverflowError e) {
      throw new DefinitionException(List.of("the document nests too deep"));
    }
  }

  /**
   * A rule's document that an earlier version took, without what is refused now: a rule that
   * watches must not stop because its runbook is no address. Other documents are as they were.
   */
  public static String mended(String document) {
    var map = Documents.map(document);
    var shape = map.get("kind") instanceof String kind ? Kinds.of(kind) : null;
    if (!(shape instanceof RuleKind)) {
      return document;
    }
    if (map.get("runbook") != null && RuleKind.runbook(map.get("runbook")) != null) {
      map.remove("runbook");
    }
    if (MessageText.fault(String.valueOf(map.get("summary"))) != null) {
      map.remove("summary");
    }
    for (var field : shape.shape().fields()) {
      if (field.shape() instanceof Shape.Text t
          && map.get(field.name()) instanceof String text
          && text.strip().length() > t.max()) {
        map.put(field.name(), text.strip().substring(0, t.max()));
      }
    }
    return Documents.text(map);
  }
}
