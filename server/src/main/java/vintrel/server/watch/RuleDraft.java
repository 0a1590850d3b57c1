package vintrel.server.watch;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.watch.Rule;

/**
 * A rule that is being edited: its part of a document as JSON, which may be wrong in places.
 *
 * @param rule null if there are faults
 * @param limitless whether it has no limit yet; the rule has one then that nothing passes
 */
record RuleDraft(Rule rule, boolean limitless, List<Fault> faults) {
  /** Of a rule that was never saved. */
  static final String NAME = "new-rule";

  /**
   * @param place of the field, as limits[0].above; empty for the rule as a whole
   */
  record Fault(String place, String text) {}

  @SuppressWarnings("unchecked")
  private static Map<String, Object> fields(String json) {
    try {
      return new LinkedHashMap<String, Object>(JsonMapper.shared().readValue(json, Map.class));
    } catch (JacksonException e) {
      throw new DefinitionException(List.of("the rule must be a JSON object"));
    }
  }

  /**
   * Reads a draft.
   *
   * @param name of the saved rule; empty if there is none yet
   */
  static RuleDraft of(String json, String name) {
    try {
      var fields = document(fields(json), name.isEmpty() ? NAME : name);
      boolean limitless = fields.get("limits") instanceof List<?> l && l.isEmpty();
      if (limitless) {
        fields.put("limits", List.of(Map.of("above", Double.MAX_VALUE, "priority", "medium")));
      }
      var text = JsonMapper.shared().writeValueAsString(fields);
      var read = (Definition.OfRule) Bundle.parse(text).documents().getFirst().definition();
      return new RuleDraft(read.rule(), limitless, List.of());
    } catch (DefinitionException e) {
      return new RuleDraft(null, false, faults(e.faults()));
    }
  }

  private static Map<String, Object> document(Map<String, Object> fields, String name) {
    fields.put("kind", "rule");
    fields.put("name", name);
    return fields;
  }

  /** The document that is saved of a draft. */
  static String text(String json, String name) {
    return JsonMapper.shared().writeValueAsString(document(fields(json), name));
  }

  /** The title of a draft; empty if it has none. */
  static String title(String json) {
    return fields(json).get("title") instanceof String s ? s.strip() : "";
  }

  /** {@code rule new-rule.limits[0].above: must be a number} as its place and its text. */
  static List<Fault> faults(List<String> words) {
    var out = new ArrayList<Fault>();
    for (var w : words) {
      var m = java.util.regex.Pattern.compile("^rule [^ .:]*\\.?([\\w\\-\\[\\]. ]*?): (.*)$", 32);
      var found = m.matcher(w);
      out.add(found.matches() ? new Fault(found.group(1), found.group(2)) : new Fault("", w));
    }
    return out;
  }
}
