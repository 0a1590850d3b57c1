package vintrel.core.define;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.define.Shape.Field;
import vintrel.core.query.syntax.Parser;
import vintrel.core.tell.Pacing;
import vintrel.core.tell.Route;
import vintrel.core.tell.RoutingTable;
import vintrel.core.unit.Durations;

/** {@code kind: routing}. */
final class RoutingKind implements Kind<Definition.OfRouting> {
  private static final long MIN_REPEAT = Durations.MINUTE;

  private static final Shape.Fields ROUTE =
      new Shape.Fields(
          Field.of("name", Shape.text(200), "What the row is called.").needed(),
          Field.of("when", Shape.text(10_000), "The labels that it is for. Default: all.")
              .or("")
              .checked(Checks::condition),
          Field.of(
                  "to",
                  new Shape.ListOf(
                      Shape.text(80), 1, 100, true, "must list at least one recipient"),
                  "The names of recipients.")
              .needed(),
          Field.of("more", new Shape.Truth(), "Whether later rows are tried as well.").or(false),
          Field.of(
              "group-by",
              new Shape.ListOf(Shape.text(MAX_NAME), 1, 20, true, "must list 1 to 20 labels"),
              "Labels: alerts with the same values share messages. Default: each alert has its"
                  + " own."),
          Field.of(
              "first-wait",
              new Shape.Duration(0),
              "From the first alert of a group to its message; critical alerts do not wait."
                  + " Default: 30s with group-by, else 0s."),
          Field.of(
              "follow-up",
              new Shape.Duration(0),
              "The least time between two messages of a group. Default: 5m with group-by, else"
                  + " 0s."),
          Field.of(
                  "repeat",
                  new Shape.Duration(0),
                  "How often a message is repeated until somebody acknowledges. Default: never.")
              .or("0s")
              .checked(
                  v -> {
                    long ms = Durations.parse(v.toString()).orElse(0);
                    return ms > 0 && ms < MIN_REPEAT
                        ? "must be at least 1m, or 0s for never"
                        : null;
                  }),
          Field.of(
              "hush",
              new Shape.ListOf(Shape.text(MAX_NAME), 1, 100, true, "must list at least one window"),
              "Names of maintenance windows in which the row notifies nobody."));

  private static final Shape.Fields SHAPE =
      new Shape.Fields(
          KIND,
          NAME,
          Field.of(
                  "routes",
                  new Shape.ListOf(ROUTE, 1, 1_000, false, "a routing table has 1 to 1,000 rows"),
                  "Rows, tried in order; the last has no condition.")
              .needed());

  @Override
  public String name() {
    return "routing";
  }

  @Override
  public Shape.Fields shape() {
    return SHAPE;
  }

  @Override
  public Class<Definition.OfRouting> type() {
    return Definition.OfRouting.class;
  }

  @Override
  public Definition.OfRouting read(Node doc, String path, List<String> faults) {
    var routes = new ArrayList<Route>();
    for (var r : doc.objects("routes")) {
      var when = r.text("when");
      routes.add(
          new Route(
              r.text("name"),
              Parser.parseCondition(when),
              when,
              r.texts("to"),
              r.truth("more"),
              pacing(r),
              r.texts("hush")));
    }
    try {
      return new Definition.OfRouting(doc.text("name"), new RoutingTable(routes));
    } catch (IllegalArgumentException e) {
      faults.add(path + ".routes: " + e.getMessage());
      return null;
    }
  }

  private static Pacing pacing(Node r) {
    var by = r.texts("group-by");
    return new Pacing(
        by,
        duration(r, "first-wait", by.isEmpty() ? 0 : Pacing.FIRST_WAIT),
        duration(r, "follow-up", by.isEmpty() ? 0 : Pacing.FOLLOW_UP),
        duration(r, "repeat", 0));
  }

  private static long duration(Node r, String key, long otherwise) {
    return r.has(key) ? r.duration(key) : otherwise;
  }

  @Override
  public Map<String, Object> write(Definition.OfRouting definition) {
    var routes = new ArrayList<Object>();
    for (var r : definition.table().routes()) {
      var route = new LinkedHashMap<String, Object>();
      route.put("name", r.name());
      Kinds.put(route, "when", r.whenText(), "");
      route.put("to", r.recipients());
      Kinds.put(route, "more", r.more(), false);
      write(route, r.pacing());
      Kinds.put(route, "hush", r.hush(), List.of());
      routes.add(route);
    }
    return Map.of("routes", routes);
  }

  private static void write(Map<String, Object> route, Pacing p) {
    boolean grouped = !p.by().isEmpty();
    Kinds.put(route, "group-by", p.by(), List.of());
    put(route, "first-wait", p.firstWait(), grouped ? Pacing.FIRST_WAIT : 0);
    put(route, "follow-up", p.followUp(), grouped ? Pacing.FOLLOW_UP : 0);
    put(route, "repeat", p.repeat(), 0);
  }

  private static void put(Map<String, Object> into, String name, long ms, long otherwise) {
    if (ms != otherwise) {
      into.put(name, Durations.text(ms));
    }
  }

  @Override
  public Map<String, Object> example() {
    return Documents.map(
        """
        kind: routing
        name: main
        routes:
        - name: boarding
          when: team = 'boarding'
          to: [boarding-team]
          more: true
          group-by: [rule, site]
          first-wait: 1m
          follow-up: 10m
          repeat: 4h
          hush: [berth-works]
        - {name: all, to: [duty]}
        """);
  }
}
