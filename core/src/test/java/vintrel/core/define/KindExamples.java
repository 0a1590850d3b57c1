package vintrel.core.define;

import java.util.List;
import java.util.Map;

/** The example of each kind of definition, as a document. */
public final class KindExamples {
  private KindExamples() {}

  public static List<Map<String, Object>> all() {
    return Kinds.ALL.stream().<Map<String, Object>>map(Kind::example).toList();
  }
}
