package vintrel.core.define;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import vintrel.core.panel.Feed;
import vintrel.core.query.syntax.Vocabulary;
import vintrel.core.unit.Durations;

/**
 * Checks values against shapes. Every fault is noted with its path, and the check goes on; what is
 * returned is the document in its canonical form: known fields in the order of the shape, words in
 * small letters, single values as lists if the shape wants a list.
 */
final class Checker {
  private static final int QUOTED = 100;

  private final List<String> faults;

  Checker(List<String> faults) {
    this.faults = faults;
  }

  /** A value as a fault quotes it. */
  static String cut(Object value) {
    var text = String.valueOf(value);
    return text.length() <= QUOTED ? text : text.substring(0, QUOTED) + "…";
  }

  private void fault(String path, String what) {
    faults.add(path + ": " + what);
  }

  /** An object's canonical form, as far as it has no faults. */
  Map<String, Object> object(Map<?, ?> map, Shape.Fields shape, String path) {
    var out = new LinkedHashMap<String, Object>();
    for (var field : shape.fields()) {
      var value = map.get(field.name());
      var place = path + "." + field.name();
      boolean spared =
          field.unless() != null
              && field.unless().getValue().equals(out.get(field.unless().getKey()));
      if (value == null) {
        if (field.required() && !spared) {
          fault(place, field.shape() instanceof Shape.ListOf l ? l.fault() : "is missing");
        }
        continue;
      }
      int before = faults.size();
      var shapeOf = field.shape();
      if (shapeOf instanceof Shape.Options o) {
        shapeOf = o.fields().get(String.valueOf(out.getOrDefault(o.by(), o.otherwise())));
      }
      var checked = shapeOf == null ? null : value(value, shapeOf, place);
      if (faults.size() == before && field.required() && !spared && "".equals(checked)) {
        fault(place, "is missing");
      } else if (faults.size() == before && field.check() != null) {
        var wrong = field.check().apply(checked);
        if (wrong != null) {
          fault(place, wrong);
        }
      }
      if (faults.size() == before) {
        out.put(field.name(), checked);
      }
    }
    one(map, shape, path);
    unknown(map, shape, path);
    return out;
  }

  private Object fed(Object value, Shape.Fed shape, String path) {
    if (!(value instanceof String text) || !text.strip().startsWith("=")) {
      return value(value, shape.number(), path);
    }
    var feed = Feed.of(text);
    if (feed == null) {
      fault(path, "must be a number or a line such as '= ceiling or 15', not '" + cut(text) + "'");
      return value;
    }
    if (feed.otherwise() == null) {
      if (!shape.auto()) {
        fault(path, "needs a number after or, not auto");
      }
    } else {
      Object or = feed.otherwise();
      value(or, shape.number(), path);
    }
    return feed.written();
  }

  /** A single value. */
  void check(Object value, Shape shape, String path) {
    value(value, shape, path);
  }

  private Object whole(Object value, Shape.Whole shape, String path) {
    if (!(value instanceof Number n)
        || n.doubleValue() != Math.rint(n.doubleValue())
        || n.doubleValue() < shape.min()
        || n.doubleValue() > shape.max()) {
      fault(
          path,
          "must be a whole number from %,d to %,d, not '%s'"
              .formatted(shape.min(), shape.max(), cut(value)));
      return shape.min();
    }
    return n.intValue();
  }

  private void one(Map<?, ?> map, Shape.Fields shape, String path) {
    if (!shape.anyOf().isEmpty() && shape.anyOf().stream().allMatch(n -> map.get(n) == null)) {
      fault(path, "needs at least one of " + String.join(", ", shape.anyOf()));
    }
    if (shape.oneOf().isEmpty()) {
      return;
    }
    var given = shape.oneOf().stream().filter(name -> map.get(name) != null).toList();
    var all = String.join(", ", shape.oneOf());
    if (given.isEmpty()) {
      fault(path, "needs one of " + all);
    } else if (given.size() > 1) {
      fault(path, "has " + String.join(" and ", given) + "; it can have only one of " + all);
    }
  }

  /** Reports unknown keys, which are usually typing errors. */
  private void unknown(Map<?, ?> map, Shape.Fields shape, String path) {
    var names = shape.fields().stream().map(Shape.Field::name).toList();
    for (var each : map.keySet()) {
      var key = cut(each);
      if (!names.contains(key)) {
        var near = Vocabulary.nearest(key, names);
        fault(
            path + "." + key, "unknown key" + (near == null ? "" : "; did you mean " + near + "?"));
      }
    }
  }

  private Object value(Object value, Shape shape, String path) {
    return switch (shape) {
      case Shape.Text t -> text(value, t, path);
      case Shape.Choice c -> choice(value, c, path);
      case Shape.Number n -> number(value, n, path);
      case Shape.Whole w -> whole(value, w, path);
      case Shape.Fed f -> fed(value, f, path);
      case Shape.Truth t -> truth(value, path);
      case Shape.Duration d -> duration(value, d, path);
      case Shape.Place p -> place(value, p, path);
      case Shape.ListOf l -> list(value, l, path);
      case Shape.TextMap m -> textMap(value, path);
      case Shape.Options o -> throw new IllegalStateException("is resolved by its object");
      case Shape.Fields f -> {
        if (value instanceof Map<?, ?> map) {
          yield object(map, f, path);
        }
        fault(path, "must be an object");
        yield null;
      }
    };
  }

  private String text(Object value, Shape.Text shape, String path) {
    if (value instanceof Map || value instanceof List) {
      fault(path, "must be text");
      return "";
    }
    var text = value.toString().strip();
    if (text.length() > shape.max()) {
      fault(path, "has %,d characters; the limit is %,d".formatted(text.length(), shape.max()));
    } else if (!shape.pattern().isEmpty() && !text.matches(shape.pattern())) {
      fault(path, shape.fault().replace("{}", cut(text)));
    }
    return text;
  }

  private String choice(Object value, Shape.Choice shape, String path) {
    var text = value.toString().strip();
    var word = text.toLowerCase(Locale.ROOT).replace('_', ' ');
    if (!shape.values().contains(word)) {
      fault(
          path,
          "must be one of " + String.join(", ", shape.values()) + ", not '" + cut(text) + "'");
    }
    return word;
  }

  private Object number(Object value, Shape.Number shape, String path) {
    if (!(value instanceof Number n) || !Double.isFinite(n.doubleValue())) {
      fault(path, "must be a number, not '" + cut(value) + "'");
      return 0;
    }
    if (n.doubleValue() < shape.min()) {
      fault(
          path, shape.min() == 0 ? "can't be negative" : "must be at least " + plain(shape.min()));
    } else if (n.doubleValue() > shape.max()) {
      fault(path, "must be at most " + plain(shape.max()));
    }
    return value;
  }

  private static Object plain(double v) {
    return v == Math.rint(v) && Math.abs(v) < 1e15 ? (Object) (long) v : (Object) v;
  }

  private Boolean truth(Object value, String path) {
    if (!(value instanceof Boolean)) {
      fault(path, "must be true or false");
    }
    return Boolean.TRUE.equals(value);
  }

  private String duration(Object value, Shape.Duration shape, String path) {
    var text = value.equals(0) ? "0s" : value.toString().strip();
    var parsed = Durations.parse(text);
    if (parsed.isEmpty()) {
      fault(path, "must be a duration such as 30s or 5m, not '" + cut(value) + "'");
    } else if (parsed.getAsLong() < shape.min()) {
      fault(path, "must be at least " + Durations.text(shape.min()));
    }
    return text;
  }

  private List<Integer> place(Object value, Shape.Place shape, String path) {
    var out = new ArrayList<Integer>();
    if (value instanceof List<?> list) {
      for (var each : list) {
        if (String.valueOf(each).matches("\\d{1,6}")) {
          out.add(Integer.parseInt(each.toString()));
        }
      }
    }
    if (out.size() != 4 || ((List<?>) value).size() != 4) {
      fault(path, "must be [column, row, width, height]");
      return List.of();
    }
    int column = out.get(0);
    int width = out.get(2);
    if (column < 1 || width < 1 || column + width > shape.columns() + 1) {
      fault(path, "must fit in the " + shape.columns() + " columns");
    } else if (out.get(1) < 1 || out.get(3) < 1 || out.get(1) + out.get(3) > shape.maxRow() + 1) {
      fault(path, "must fit in %,d rows".formatted(shape.maxRow()));
    }
    return out;
  }

  private List<Object> list(Object value, Shape.ListOf shape, String path) {
    var out = new ArrayList<Object>();
    List<?> list = value instanceof List<?> several ? several : List.of(value);
    if (list != value && (!shape.plain() || value instanceof Map)) {
      fault(path, "must be a list");
      return out;
    }
    if (list.size() < shape.min() || list.size() > shape.max()) {
      fault(path, shape.fault());
    }
    for (int i = 0; i < list.size() && i < shape.max(); i++) {
      var place = path + "[" + i + "]";
      if (list.get(i) == null) {
        fault(place, "is empty");
      } else {
        out.add(value(list.get(i), shape.item(), place));
      }
    }
    return out;
  }

  private Map<String, String> textMap(Object value, String path) {
    var out = new LinkedHashMap<String, String>();
    if (value instanceof Map<?, ?> map) {
      map.forEach(
          (k, v) -> {
            if (v instanceof Map || v instanceof List) {
              fault(path + "." + cut(k), "must be text");
            } else if (v == null) {
              fault(path + "." + cut(k), "is missing");
            } else {
              out.put(String.valueOf(k), v.toString());
            }
          });
    } else {
      fault(path, "must be an object of texts");
    }
    return out;
  }
}
