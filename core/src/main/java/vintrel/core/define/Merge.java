package vintrel.core.define;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.yaml.snakeyaml.error.YAMLException;

/**
 * Two versions of a dashboard that were made from the same one, as one document. What only one side
 * changed is as on that side; where both changed the same field or panel, mine stays and it is
 * said. Pure; any thread.
 *
 * @param document the merged one
 * @param both the titles of panels and the names of fields that both sides changed
 * @param back the titles of panels that I deleted, which the others changed: they are there again
 */
public record Merge(Map<String, Object> document, List<String> both, List<String> back) {
  private static final String PANELS = "panels";

  /**
   * @param basis what both were made from
   */
  public static Merge of(
      Map<String, Object> basis, Map<String, Object> mine, Map<String, Object> theirs) {
    var both = new ArrayList<String>();
    var back = new ArrayList<String>();
    var out = new LinkedHashMap<String, Object>();
    var fields = new LinkedHashSet<>(theirs.keySet());
    fields.addAll(mine.keySet());
    for (var field : fields) {
      var value =
          field.equals(PANELS)
              ? panels(basis, mine, theirs, both, back)
              : one(basis.get(field), mine.get(field), theirs.get(field), field, both);
      if (value != null) {
        out.put(field, value);
      }
    }
    return new Merge(out, List.copyOf(both), List.copyOf(back));
  }

  /**
   * The same for texts of what I changed and of what I made of it, JSON or YAML.
   *
   * @throws DefinitionException if one is no document
   */
  public static Merge of(String basis, String mine, Map<String, Object> theirs) {
    return of(document(basis), document(mine), theirs);
  }

  @SuppressWarnings("unchecked")
  private static Map<String, Object> document(String text) {
    var fault = "must be an object";
    try {
      if (Documents.one(text) instanceof Map<?, ?> map) {
        fault = Documents.fault(map, 0);
        if (fault == null) {
          return (Map<String, Object>) map;
        }
      }
    } catch (YAMLException e) {
      fault = "is not a document";
    }
    throw new DefinitionException(List.of("dashboard: " + fault));
  }

  private static Object one(
      Object basis, Object mine, Object theirs, String name, List<String> both) {
    if (Objects.equals(mine, basis)) {
      return theirs;
    }
    if (!Objects.equals(theirs, basis) && !Objects.equals(theirs, mine)) {
      both.add(name);
    }
    return mine;
  }

  private static List<Object> panels(
      Map<String, Object> basis,
      Map<String, Object> mine,
      Map<String, Object> theirs,
      List<String> both,
      List<String> back) {
    var was = byId(basis);
    var other = byId(theirs);
    var out = new ArrayList<Object>();
    var own = byId(mine);
    own.forEach(
        (id, panel) -> {
          var value = one(was.get(id), panel, other.get(id), title(panel), both);
          if (value != null) {
            out.add(value);
          }
        });
    other.forEach(
        (id, panel) -> {
          if (own.containsKey(id) || panel.equals(was.get(id))) {
            return;
          }
          if (was.containsKey(id)) {
            back.add(title(panel));
          }
          out.add(panel);
        });
    return out;
  }

  private static String title(Object panel) {
    return String.valueOf(((Map<?, ?>) panel).get("title"));
  }

  private static Map<String, Object> byId(Map<String, Object> document) {
    var out = new LinkedHashMap<String, Object>();
    if (document.get(PANELS) instanceof List<?> list) {
      for (var panel : list) {
        if (panel instanceof Map<?, ?> fields) {
          var id = fields.get("id");
          out.put(id == null ? Dashboard.panelId(title(panel)) : id.toString(), panel);
        }
      }
    }
    return out;
  }
}
