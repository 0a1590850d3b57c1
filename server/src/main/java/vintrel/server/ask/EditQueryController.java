package vintrel.server.ask;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Collectors;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.query.assist.Edit;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;

/** Changes of a query by its chips, rows and lines: made on its tree, not on its text. */
@Controller
class EditQueryController {
  /** By name: {@code add-step} for {@code AddStep}. */
  private static final Map<String, Class<?>> EDITS = edits();

  private final JsonMapper json;

  EditQueryController(JsonMapper json) {
    this.json = json;
  }

  private static Map<String, Class<?>> edits() {
    var out = new LinkedHashMap<String, Class<?>>();
    for (var type : Edit.class.getPermittedSubclasses()) {
      var name = type.getSimpleName().replaceAll("(?<=[a-z])(?=[A-Z])", "-");
      out.put(name.toLowerCase(Locale.ROOT), type);
    }
    return out;
  }

  /**
   * @param query its text after the change
   */
  record Edited(String query) {}

  /**
   * @param edit as JSON: its name as {@code edit}, and the components of the record
   */
  @PostMapping("/queries/edit")
  @ResponseBody
  Edited edit(@RequestParam(defaultValue = "") String query, @RequestParam String edit) {
    return new Edited(Edit.apply(query, read(edit)));
  }

  /** The lines of a query with their chips; it is not run. None if the text can't be read. */
  @PostMapping("/queries/outline")
  @ResponseBody
  List<QueryOutline.Line> outline(@RequestParam String query) {
    try {
      return QueryOutline.unread(Parser.parse(query));
    } catch (QueryException e) {
      // What is typed is half of a query most of the time; the answer to it says what is wrong.
      return List.of();
    }
  }

  private Edit read(String text) {
    try {
      var fields = json.readValue(text, Map.class);
      var type = EDITS.get(String.valueOf(fields.remove("edit")));
      if (type == null) {
        throw new IllegalArgumentException(
            "no such edit; edits: " + EDITS.keySet().stream().collect(Collectors.joining(", ")));
      }
      for (var part : type.getRecordComponents()) {
        if (fields.get(part.getName()) == null) {
          throw new IllegalArgumentException("`" + part.getName() + "` is missing in the edit");
        }
      }
      return (Edit) json.convertValue(fields, type);
    } catch (JacksonException e) {
      throw new IllegalArgumentException("the edit is not valid JSON: " + e.getOriginalMessage());
    }
  }
}
