package vintrel.core.frame;

import java.util.List;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/** A field of a JSON text, by the names that lead to it. */
public final class JsonPath {
  private static final JsonMapper JSON = new JsonMapper();

  private JsonPath() {}

  /** The value found, and whether it is a number. */
  public record Found(String text, boolean number) {}

  /** The value at a path; null if it is absent or the text is not JSON. */
  public static Found find(String json, List<String> path) {
    if (json.isEmpty()) {
      return null;
    }
    JsonNode node;
    try {
      node = JSON.readTree(json);
    } catch (JacksonException e) {
      return null;
    }
    // A name may itself hold dots: the longest one that is there is taken.
    for (int i = 0; i < path.size(); ) {
      JsonNode next = null;
      int used = 0;
      for (int j = path.size(); j > i && next == null; j--) {
        next = node.get(String.join(".", path.subList(i, j)));
        used = j;
      }
      if (next == null) {
        return null;
      }
      node = next;
      i = used;
    }
    if (node.isNull()) {
      return null;
    }
    return new Found(node.isString() ? node.asString() : node.toString(), node.isNumber());
  }
}
