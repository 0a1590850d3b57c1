package vintrel.server.web;

import java.io.IOException;
import java.io.InputStream;
import java.util.ArrayList;
import java.util.Locale;
import org.springframework.core.io.ClassPathResource;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/** Writes the OpenAPI document as a document for people, in Markdown. */
final class ApiReference {
  static final String NAME = "api";

  private final JsonNode root;
  private final StringBuilder out = new StringBuilder();

  private ApiReference(JsonNode root) {
    this.root = root;
  }

  static String markdown() throws IOException {
    try (InputStream in = new ClassPathResource("openapi.json").getInputStream()) {
      return new ApiReference(JsonMapper.shared().readTree(in)).write();
    }
  }

  private String write() {
    out.append("# API reference\n\n")
        .append(text(root.path("info").path("description")))
        .append("\n\nThe same as OpenAPI 3.1, for programs: `GET /api/v1/openapi.json`.\n");
    out.append("\n```\ncurl -H 'Authorization: Bearer TOKEN' ")
        .append("'http://localhost:8420/api/v1/metrics?search=cpu'\n```\n");
    root.path("paths")
        .properties()
        .forEach(
            path ->
                path.getValue()
                    .properties()
                    .forEach(
                        method -> {
                          if (!method.getKey().equals("parameters")) {
                            operation(
                                path.getKey(),
                                method.getKey(),
                                method.getValue(),
                                path.getValue().path("parameters"));
                          }
                        }));
    out.append("\n## Objects\n");
    root.path("components")
        .path("schemas")
        .properties()
        .forEach(
            s -> {
              out.append("\n### ").append(s.getKey()).append("\n\n");
              fields(s.getValue());
            });
    return out.toString();
  }

  private void operation(String path, String method, JsonNode o, JsonNode shared) {
    out.append("\n## `%s %s`\n\n".formatted(method.toUpperCase(Locale.ROOT), path));
    out.append(text(o.path("summary"))).append(".\n");
    var parameters = new ArrayList<JsonNode>();
    shared.forEach(p -> parameters.add(resolved(p)));
    o.path("parameters").forEach(p -> parameters.add(resolved(p)));
    if (!parameters.isEmpty()) {
      out.append("\n| Parameter | In | Value | Meaning |\n|-|-|-|-|\n");
      for (var p : parameters) {
        out.append(
            "| `%s`%s | %s | %s | %s |\n"
                .formatted(
                    text(p.path("name")),
                    p.path("required").asBoolean(false) ? ", required" : "",
                    text(p.path("in")),
                    type(p.path("schema")),
                    cell(text(p.path("description")))));
      }
    }
    var body = o.path("requestBody").path("content");
    body.properties()
        .forEach(
            c -> {
              out.append("\nBody: `").append(c.getKey()).append('`');
              var type = type(c.getValue().path("schema"));
              out.append(type.isEmpty() ? "" : ", " + type).append('\n');
            });
    answers(o.path("responses"));
  }

  private void answers(JsonNode responses) {
    out.append("\n| Status | Response |\n|-|-|\n");
    responses
        .properties()
        .forEach(
            r -> {
              var node = resolved(r.getValue());
              var types = new ArrayList<String>();
              node.path("content")
                  .properties()
                  .forEach(
                      c -> {
                        var type = type(c.getValue().path("schema"));
                        types.add("`" + c.getKey() + "`" + (type.isEmpty() ? "" : ": " + type));
                      });
              out.append(
                  "| %s | %s%s |\n"
                      .formatted(
                          r.getKey(),
                          cell(text(node.path("description"))),
                          types.isEmpty() ? "" : " (" + String.join("; ", types) + ")"));
            });
  }

  private void fields(JsonNode schema) {
    var properties = schema.path("properties").properties();
    if (properties.isEmpty()) {
      out.append(type(schema)).append('\n');
      return;
    }
    var required = schema.path("required").toString();
    out.append("| Field | Value | Meaning |\n|-|-|-|\n");
    properties.forEach(
        p ->
            out.append(
                "| `%s`%s | %s | %s |\n"
                    .formatted(
                        p.getKey(),
                        required.contains('"' + p.getKey() + '"') ? ", required" : "",
                        type(p.getValue()),
                        cell(text(p.getValue().path("description"))))));
  }

  /** What a value can be, in words; empty if that is not said. */
  private String type(JsonNode schema) {
    if (schema.has("$ref")) {
      var name = text(schema.path("$ref")).replaceFirst(".*/", "");
      return "[" + name + "](#" + name.toLowerCase(Locale.ROOT) + ")";
    }
    if (schema.has("oneOf")) {
      var all = new ArrayList<String>();
      schema.path("oneOf").forEach(s -> all.add(type(s)));
      return String.join(" or ", all);
    }
    if (schema.has("enum")) {
      var all = new ArrayList<String>();
      schema.path("enum").forEach(s -> all.add("`" + text(s) + "`"));
      return String.join(", ", all);
    }
    var type = schema.path("type");
    if (type.isArray()) {
      var all = new ArrayList<String>();
      type.forEach(t -> all.add(text(t)));
      return String.join(" or ", all);
    }
    if (text(type).equals("array")) {
      var items = type(schema.path("items"));
      return "list" + (items.isEmpty() ? "" : " of " + items);
    }
    return text(type);
  }

  private JsonNode resolved(JsonNode node) {
    if (!node.has("$ref")) {
      return node;
    }
    var found = root;
    for (var step : text(node.path("$ref")).substring(2).split("/")) {
      found = found.path(step);
    }
    return found;
  }

  private static String text(JsonNode node) {
    return node.isMissingNode() || node.isNull() ? "" : node.asString("");
  }

  private static String cell(String text) {
    return text.replace("|", "\\|");
  }
}
