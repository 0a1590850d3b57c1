package vintrel.core.define;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** All kinds of definitions. */
final class Kinds {
  static final List<Kind<?>> ALL =
      List.of(
          new DashboardKind(),
          new RuleKind(),
          new RecipientKind(),
          new RoutingKind(),
          new WindowKind(),
          new JobKind(),
          new CheckKind(),
          new CollectorKind(),
          new ResourcesKind());

  private Kinds() {}

  static Kind<?> of(String name) {
    return ALL.stream().filter(k -> k.name().equals(name)).findFirst().orElse(null);
  }

  static String names() {
    var names = ALL.stream().map(Kind::name).toList();
    return String.join(", ", names.subList(0, names.size() - 1)) + " or " + names.getLast();
  }

  /** A checked document. */
  record Read(Definition definition, Map<String, Object> content) {}

  /**
   * Reads one document.
   *
   * @param number from 1, for a document without a name
   * @return null if it has faults, which are added to the list
   */
  static Read read(Map<?, ?> map, int number, List<String> faults) {
    int before = faults.size();
    var kindName = String.valueOf(map.get("kind"));
    var name = map.get("name") == null ? "document " + number : Checker.cut(map.get("name"));
    var path = Checker.cut(kindName) + " " + name;
    var kind = of(kindName);
    if (kind == null) {
      faults.add(
          map.get("kind") == null
              ? path + ".kind: is missing"
              : path + ".kind: must be %s, not '%s'".formatted(names(), Checker.cut(kindName)));
      return null;
    }
    var today = kind.today(words(map));
    var content = new Checker(faults).object(today, kind.shape(), path);
    if (faults.size() > before) {
      return null;
    }
    var definition = kind.read(new Node(content, kind.shape()), path, faults);
    return faults.size() > before ? null : new Read(definition, content);
  }

  private static Map<String, Object> words(Map<?, ?> map) {
    var out = new LinkedHashMap<String, Object>();
    map.forEach((k, v) -> out.put(String.valueOf(k), v));
    return out;
  }

  static Map<String, Object> write(Definition definition) {
    return write(of(definition.kind()), definition);
  }

  private static <D extends Definition> Map<String, Object> write(
      Kind<D> kind, Definition definition) {
    var out = new LinkedHashMap<String, Object>();
    out.put("kind", kind.name());
    out.put("name", definition.name());
    out.putAll(kind.write(kind.type().cast(definition)));
    return out;
  }

  /** Puts a field unless it has its default. */
  static void put(Map<String, Object> out, String key, Object value, Object otherwise) {
    if (value != null && !value.equals(otherwise)) {
      out.put(key, value);
    }
  }
}
