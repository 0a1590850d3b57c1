package vintrel.core.define;

import java.util.List;
import java.util.Map;
import vintrel.core.unit.Durations;

/** A checked object of a document, read with types; what is absent has the shape's default. */
record Node(Map<String, Object> map, Shape.Fields shape) {
  private Object get(String key) {
    var value = map.get(key);
    return value != null ? value : shape.field(key).otherwise();
  }

  boolean has(String key) {
    return map.containsKey(key);
  }

  String text(String key) {
    var value = get(key);
    return value == null ? "" : value.toString();
  }

  String text(String key, String otherwise) {
    var value = get(key);
    return value == null ? otherwise : value.toString();
  }

  double number(String key) {
    return ((Number) get(key)).doubleValue();
  }

  boolean truth(String key) {
    return Boolean.TRUE.equals(get(key));
  }

  /** The options of a field whose fields depend on another, as they were checked. */
  @SuppressWarnings("unchecked")
  Map<String, Object> options(String key) {
    var value = (Map<String, Object>) map.get(key);
    return value == null ? Map.of() : value;
  }

  /** ms. */
  long duration(String key) {
    return Durations.parse(get(key).toString()).orElseThrow();
  }

  <E extends Enum<E>> E choice(String key, Class<E> type) {
    var text = get(key).toString();
    for (var each : type.getEnumConstants()) {
      if (Shape.word(each).equals(text)) {
        return each;
      }
    }
    throw new IllegalStateException(text);
  }

  @SuppressWarnings("unchecked")
  List<Integer> place(String key) {
    return (List<Integer>) get(key);
  }

  @SuppressWarnings("unchecked")
  List<String> texts(String key) {
    var value = (List<String>) get(key);
    return value == null ? List.of() : List.copyOf(value);
  }

  @SuppressWarnings("unchecked")
  Map<String, String> textMap(String key) {
    var value = (Map<String, String>) get(key);
    return value == null ? Map.of() : value;
  }

  @SuppressWarnings("unchecked")
  List<Node> objects(String key) {
    var value = (List<Map<String, Object>>) get(key);
    var item = (Shape.Fields) ((Shape.ListOf) shape.field(key).shape()).item();
    return value == null ? List.of() : value.stream().map(m -> new Node(m, item)).toList();
  }
}
