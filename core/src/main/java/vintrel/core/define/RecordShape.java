package vintrel.core.define;

import java.lang.reflect.ParameterizedType;
import java.lang.reflect.RecordComponent;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import vintrel.core.panel.Feed;
import vintrel.core.panel.Setting;
import vintrel.core.unit.Durations;

/**
 * Records whose components say what they are ({@link Setting}) ↔ objects of documents. A record has
 * a public constant {@code DEFAULT}; what is as there is absent in documents.
 */
final class RecordShape {
  private static final int ITEM = 200;

  private RecordShape() {}

  /** The name of a component in documents: softFrom → soft-from. */
  static String name(RecordComponent part) {
    return part.getName().replaceAll("([A-Z])", "-$1").toLowerCase(Locale.ROOT);
  }

  static Record defaults(Class<?> type) {
    try {
      return (Record) type.getField("DEFAULT").get(null);
    } catch (ReflectiveOperationException e) {
      throw new IllegalStateException(type + " has no constant DEFAULT", e);
    }
  }

  static Shape.Fields of(Class<?> type) {
    var defaults = defaults(type);
    var fields = new ArrayList<Shape.Field>();
    for (var part : type.getRecordComponents()) {
      var setting = part.getAnnotation(Setting.class);
      var field = Shape.Field.of(name(part), shape(part, setting), setting.value());
      fields.add(field.or(written(part, get(part, defaults))));
    }
    return new Shape.Fields(List.copyOf(fields), List.of(), List.of());
  }

  private static Shape shape(RecordComponent part, Setting s) {
    var type = part.getType();
    if (type == List.class) {
      return new Shape.ListOf(item(entry(part)), s.most());
    }
    if (type == Map.class) {
      return new Shape.TextMap();
    }
    if (type == String.class) {
      return Shape.text(s.most());
    }
    if (s.duration()) {
      return new Shape.Duration((long) s.min());
    }
    if (type == int.class) {
      return new Shape.Fed(new Shape.Whole((int) s.min(), (int) s.max()), false);
    }
    return type == double.class || type == Double.class
        ? new Shape.Fed(new Shape.Number(s.min(), s.max()), type == Double.class)
        : item(type);
  }

  private static Class<?> entry(RecordComponent part) {
    return (Class<?>) ((ParameterizedType) part.getGenericType()).getActualTypeArguments()[0];
  }

  private static Shape item(Class<?> type) {
    if (type.isEnum()) {
      return new Shape.Choice(words(type));
    }
    if (type == boolean.class || type == Boolean.class) {
      return new Shape.Truth();
    }
    if (type.isRecord()) {
      return of(type);
    }
    if (type == String.class) {
      return Shape.text(ITEM);
    }
    throw new IllegalStateException("no shape for " + type);
  }

  private static List<String> words(Class<?> type) {
    return Arrays.stream(type.getEnumConstants()).map(c -> Shape.word((Enum<?>) c)).toList();
  }

  private static Object get(RecordComponent part, Record of) {
    try {
      var accessor = part.getAccessor();
      accessor.setAccessible(true);
      return accessor.invoke(of);
    } catch (ReflectiveOperationException e) {
      throw new IllegalStateException(e);
    }
  }

  /** A checked object as a record; what is absent is as by default. */
  static <R extends Record> R read(Class<R> type, Map<String, Object> map) {
    var defaults = defaults(type);
    var parts = type.getRecordComponents();
    var values = new Object[parts.length];
    var types = new Class<?>[parts.length];
    for (int i = 0; i < parts.length; i++) {
      types[i] = parts[i].getType();
      var given = plain(parts[i], map.get(name(parts[i])));
      values[i] = given == null ? get(parts[i], defaults) : value(parts[i], given);
    }
    try {
      return type.getDeclaredConstructor(types).newInstance(values);
    } catch (ReflectiveOperationException e) {
      throw new IllegalStateException(e);
    }
  }

  /** What is fed by a line has the number that holds otherwise. */
  private static Object plain(RecordComponent part, Object given) {
    return isNumber(part) ? Shape.Fed.plain(given) : given;
  }

  private static boolean isNumber(RecordComponent part) {
    var type = part.getType();
    return type == int.class || type == double.class || type == Double.class;
  }

  /**
   * What lines give of a checked object, by its place, such as {@code styles[1].width}.
   *
   * @param under the place of the object, with its point; or empty
   */
  @SuppressWarnings("unchecked")
  static void feeds(Class<?> type, Map<String, Object> map, String under, Map<String, Feed> out) {
    for (var part : type.getRecordComponents()) {
      var given = map.get(name(part));
      var place = under + name(part);
      var feed = isNumber(part) ? Feed.of(given) : null;
      if (feed != null) {
        out.put(place, feed);
      } else if (part.getType() == List.class && entry(part).isRecord() && given != null) {
        var list = (List<Map<String, Object>>) given;
        for (int i = 0; i < list.size(); i++) {
          feeds(entry(part), list.get(i), place + "[" + i + "].", out);
        }
      }
    }
  }

  /** Puts a value at a place that {@link #feeds} told into an object that {@link #write} made. */
  @SuppressWarnings("unchecked")
  static void put(Map<String, Object> map, String place, Object value) {
    int point = place.indexOf('.');
    if (point < 0) {
      map.put(place, value);
      return;
    }
    int bracket = place.indexOf('[');
    var list = new ArrayList<>((List<Object>) map.get(place.substring(0, bracket)));
    int at = Integer.parseInt(place.substring(bracket + 1, point - 1));
    var inner = new LinkedHashMap<>((Map<String, Object>) list.get(at));
    put(inner, place.substring(point + 1), value);
    list.set(at, inner);
    map.put(place.substring(0, bracket), list);
  }

  private static Object value(RecordComponent part, Object given) {
    var type = part.getType();
    if (type == List.class) {
      return ((List<?>) given).stream().map(v -> one(entry(part), v)).toList();
    }
    if (part.getAnnotation(Setting.class).duration()) {
      return Durations.parse(given.toString()).orElseThrow();
    }
    return one(type, given);
  }

  @SuppressWarnings("unchecked")
  private static Object one(Class<?> type, Object given) {
    if (type.isEnum()) {
      for (var constant : type.getEnumConstants()) {
        if (Shape.word((Enum<?>) constant).equals(given)) {
          return constant;
        }
      }
    }
    if (type.isRecord()) {
      return read((Class<? extends Record>) type, (Map<String, Object>) given);
    }
    if (type == double.class || type == Double.class) {
      return ((Number) given).doubleValue();
    }
    return type == int.class ? (Object) ((Number) given).intValue() : given;
  }

  /** The object of a record, without what is as by default. */
  static Map<String, Object> write(Record record) {
    var defaults = defaults(record.getClass());
    var out = new LinkedHashMap<String, Object>();
    for (var part : record.getClass().getRecordComponents()) {
      var value = get(part, record);
      if (value != null && !value.equals(get(part, defaults))) {
        out.put(name(part), written(part, value));
      }
    }
    return out;
  }

  private static Object written(RecordComponent part, Object value) {
    if (value instanceof Long ms && part.getAnnotation(Setting.class).duration()) {
      return Durations.text(ms);
    }
    if (value instanceof List<?> list) {
      return list.stream().map(RecordShape::plain).toList();
    }
    return plain(value);
  }

  private static Object plain(Object value) {
    return switch (value) {
      case Enum<?> e -> Shape.word(e);
      case Record r -> write(r);
      case Double d when d == Math.rint(d) && Math.abs(d) < 1e15 -> d.longValue();
      case null -> null;
      default -> value;
    };
  }
}
