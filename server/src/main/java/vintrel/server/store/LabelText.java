package vintrel.server.store;

import java.util.TreeMap;
import tools.jackson.core.type.TypeReference;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.series.Labels;

/** Labels ↔ the JSON object that the database keeps. */
public final class LabelText {
  private static final JsonMapper JSON = JsonMapper.shared();
  private static final TypeReference<TreeMap<String, String>> TYPE = new TypeReference<>() {};

  private LabelText() {}

  public static String write(Labels labels) {
    return JSON.writeValueAsString(labels.asMap());
  }

  public static Labels read(String text) {
    return Labels.of(JSON.readValue(text, TYPE));
  }
}
