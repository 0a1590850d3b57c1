package vintrel.core.define;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.panel.Feed;

/** Shapes → JSON Schema, draft 2020-12. */
public final class Schema {
  /** Several digits and a unit, again and again: {@link vintrel.core.unit.Durations}. */
  private static final String DURATION = "^([0-9]{1,9}(ms|s|m|h|d|w))+$";

  private Schema() {}

  /**
   * The schema of one definition of any kind, for programs and editors. It describes the canonical
   * form; the server also reads words in other cases, numbers as texts, and one value if a list of
   * one is meant.
   */
  public static Map<String, Object> definitions() {
    var out = new LinkedHashMap<String, Object>();
    out.put("$schema", "https://json-schema.org/draft/2020-12/schema");
    out.put("title", "Vintrel definition");
    out.put("type", "object");
    out.put("required", List.of("kind", "name"));
    var kinds = new LinkedHashMap<String, Object>();
    var any = new ArrayList<Object>();
    for (var kind : Kinds.ALL) {
      var one = of(kind.shape());
      @SuppressWarnings("unchecked")
      var properties = (Map<String, Object>) one.get("properties");
      properties.put("kind", Map.of("const", kind.name()));
      one.put("examples", List.of(kind.example()));
      kinds.put(kind.name(), one);
      any.add(Map.of("$ref", "#/$defs/" + kind.name()));
    }
    out.put("oneOf", any);
    out.put("$defs", kinds);
    return out;
  }

  private static Map<String, Object> of(Shape shape) {
    var out = new LinkedHashMap<String, Object>();
    switch (shape) {
      case Shape.Text t -> {
        out.put("type", "string");
        out.put("maxLength", t.max());
        if (!t.pattern().isEmpty()) {
          out.put("pattern", "^(?:" + t.pattern() + ")$");
        }
      }
      case Shape.Choice c -> out.put("enum", c.values());
      case Shape.Number n -> {
        out.put("type", "number");
        if (Double.isFinite(n.min())) {
          out.put("minimum", n.min());
        }
        if (Double.isFinite(n.max())) {
          out.put("maximum", n.max());
        }
      }
      case Shape.Whole w -> {
        out.put("type", "integer");
        out.put("minimum", w.min());
        out.put("maximum", w.max());
      }
      case Shape.Fed f ->
          out.put(
              "anyOf",
              List.of(
                  of(f.number()),
                  Map.of("type", "string", "pattern", "^(?:" + Feed.PATTERN + ")$")));
      case Shape.Truth t -> out.put("type", "boolean");
      case Shape.Duration d -> {
        var text = Map.of("type", "string", "pattern", DURATION);
        out.put("anyOf", d.min() > 0 ? List.of(text) : List.of(text, Map.of("const", 0)));
      }
      case Shape.Place p -> {
        out.put("type", "array");
        out.put(
            "prefixItems",
            List.of(from1(p.columns()), from1(p.maxRow()), from1(p.columns()), from1(p.maxRow())));
        out.put("items", false);
        out.put("minItems", 4);
      }
      case Shape.ListOf l -> {
        out.put("type", "array");
        out.put("items", of(l.item()));
        if (l.min() > 0) {
          out.put("minItems", l.min());
        }
        out.put("maxItems", l.max());
      }
      case Shape.TextMap m -> {
        out.put("type", "object");
        out.put("additionalProperties", Map.of("type", "string"));
      }
      case Shape.Options o -> out.put("type", "object");
      case Shape.Fields f -> fields(f, out);
    }
    return out;
  }

  /** For each value of the deciding field, what the options then are. */
  private static List<Object> options(String name, Shape.Options o) {
    var out = new ArrayList<Object>();
    o.fields()
        .forEach(
            (value, fields) -> {
              var is = Map.of("properties", Map.of(o.by(), Map.of("const", value)));
              var given = Map.of("required", List.of(o.by()));
              // Where the field is absent, it has its default.
              var when = value.equals(o.otherwise()) ? is : Map.of("allOf", List.of(is, given));
              var then = Map.of("properties", Map.of(name, of(fields)));
              out.add(Map.of("if", when, "then", then));
            });
    return out;
  }

  private static Map<String, Object> from1(int to) {
    return Map.of("type", "integer", "minimum", 1, "maximum", to);
  }

  private static void fields(Shape.Fields shape, Map<String, Object> out) {
    out.put("type", "object");
    var properties = new LinkedHashMap<String, Object>();
    var required = new ArrayList<String>();
    for (var field : shape.fields()) {
      var one = of(field.shape());
      one.put("description", field.about());
      if (field.otherwise() != null) {
        one.put("default", field.otherwise());
      }
      if (field.required() && field.unless() == null) {
        required.add(field.name());
        if (field.shape() instanceof Shape.Text) {
          one.put("minLength", 1);
        }
      }
      properties.put(field.name(), one);
    }
    out.put("properties", properties);
    out.put("required", required);
    out.put("additionalProperties", false);
    var rules = new ArrayList<Object>();
    for (var field : shape.fields()) {
      if (field.shape() instanceof Shape.Options o) {
        rules.addAll(options(field.name(), o));
      }
      if (field.unless() != null) {
        var spared = field.unless();
        var is = Map.of("properties", Map.of(spared.getKey(), Map.of("const", spared.getValue())));
        var given = Map.of("required", List.of(spared.getKey()));
        rules.add(
            Map.of(
                "if",
                Map.of("not", Map.of("allOf", List.of(is, given))),
                "then",
                Map.of("required", List.of(field.name()))));
      }
    }
    if (!rules.isEmpty()) {
      out.put("allOf", rules);
    }
    if (!shape.oneOf().isEmpty()) {
      out.put("oneOf", shape.oneOf().stream().map(n -> Map.of("required", List.of(n))).toList());
    }
    if (!shape.anyOf().isEmpty()) {
      out.put("anyOf", shape.anyOf().stream().map(n -> Map.of("required", List.of(n))).toList());
    }
  }
}
