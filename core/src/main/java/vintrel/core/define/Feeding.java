package vintrel.core.define;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import java.util.function.Function;
import vintrel.core.panel.Fed;
import vintrel.core.panel.Feed;
import vintrel.core.panel.Limit;
import vintrel.core.panel.PanelKind;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;

/** The numbers of a panel that its own lines give. Pure; any thread. */
public final class Feeding {
  private static final String LIMITS = "limits[";

  private Feeding() {}

  /** The names of the lines that give numbers of a panel. */
  public static List<String> lines(Dashboard.Panel panel) {
    var out = new TreeSet<String>();
    panel.fed().values().forEach(f -> out.add(f.line()));
    return List.copyOf(out);
  }

  /** What is wrong beyond the shape, by place. */
  static Map<String, String> faults(String query, Map<String, Feed> fed) {
    var out = new LinkedHashMap<String, String>();
    if (fed.isEmpty()) {
      return out;
    }
    List<String> names;
    try {
      names = Parser.parse(query).lines().stream().map(Query.Line::name).toList();
    } catch (QueryException e) {
      // The fault of the query is told at the query.
      return out;
    }
    fed.forEach(
        (place, feed) -> {
          boolean limit = place.startsWith(LIMITS);
          if (!names.contains(feed.line())) {
            out.put(
                limit ? place : "options." + place,
                "no line of the query is named `" + feed.line() + "`");
          } else if (feed.each() && !limit) {
            out.put("options." + place, "only a limit can follow each moment's value");
          }
        });
    return out;
  }

  /** The options of a panel as documents write them. */
  static Map<String, Object> options(Dashboard.Panel panel) {
    var out = RecordShape.write((Record) panel.kind());
    panel
        .fed()
        .forEach(
            (place, feed) -> {
              if (!place.startsWith(LIMITS)) {
                RecordShape.put(out, place, feed.written());
              }
            });
    return out;
  }

  /**
   * A panel with the numbers that its lines gave.
   *
   * @param panel with them, and with nothing that is fed
   * @param faults by place why a number was not taken, as far as that is not the line's fault
   */
  public record Resolved(Dashboard.Panel panel, Map<String, String> faults) {}

  /**
   * Puts what lines gave in the places that they feed. What does not fit a place is not taken:
   * there the number holds that holds otherwise.
   *
   * @param given what a line gave, by its name
   */
  public static Resolved resolve(Dashboard.Panel panel, Function<String, Fed> given) {
    var faults = new LinkedHashMap<String, String>();
    var limits = new ArrayList<>(panel.limits());
    var taken = new LinkedHashMap<String, Double>();
    panel
        .fed()
        .forEach(
            (place, feed) -> {
              var line = given.apply(feed.line());
              if (Double.isNaN(line.value())) {
                return;
              }
              if (place.startsWith(LIMITS)) {
                int at = Integer.parseInt(place.substring(LIMITS.length(), place.length() - 1));
                var l = limits.get(at);
                limits.set(at, new Limit(line.value(), l.above(), l.priority(), line.of(feed)));
                return;
              }
              taken.put(place, line.value());
            });
    var kind = kind(panel.kind(), taken, faults);
    return new Resolved(panel.dressed(kind, limits), faults);
  }

  private static PanelKind kind(
      PanelKind kind, Map<String, Double> taken, Map<String, String> faults) {
    if (taken.isEmpty()) {
      return kind;
    }
    var type = kind.getClass().asSubclass(Record.class);
    var shape = RecordShape.of(type);
    var options = RecordShape.write((Record) kind);
    taken.forEach(
        (place, value) -> {
          var field = field(shape, place);
          Object number = value;
          if (((Shape.Fed) field.shape()).number() instanceof Shape.Whole) {
            number = (double) Math.round(value);
          }
          var wrong = new ArrayList<String>();
          new Checker(wrong).check(number, field.shape(), "");
          if (wrong.isEmpty()) {
            RecordShape.put(options, place, number);
          } else {
            faults.put(place, wrong.getFirst().substring(2));
          }
        });
    var out = (PanelKind) RecordShape.read(type, options);
    if (out.faults().isEmpty()) {
      return out;
    }
    // Together they make no sense: what holds otherwise does.
    out.faults().forEach(faults::putIfAbsent);
    return kind;
  }

  private static Shape.Field field(Shape.Fields of, String place) {
    int point = place.indexOf('.');
    if (point < 0) {
      return of.field(place);
    }
    var list = (Shape.ListOf) of.field(place.substring(0, place.indexOf('['))).shape();
    return field((Shape.Fields) list.item(), place.substring(point + 1));
  }
}
