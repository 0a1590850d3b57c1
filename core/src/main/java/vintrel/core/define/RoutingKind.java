package vintrel.core.define;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.define.Shape.Field;
import vintrel.core.query.syntax.Parser;
import vintrel.core.tell.Route;
import vintrel.core.tell.RoutingTable;

/** {@code kind: routing}. */
final class RoutingKind implements Kind<Definition.OfRouting> {
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
          Field.of("more", new Shape.Truth(), "Whether later rows are tried as well.").or(false));

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
              r.text("name"), Parser.parseCondition(when), when, r.texts("to"), r.truth("more")));
    }
    try {
      return new Definition.OfRouting(doc.text("name"), new RoutingTable(routes));
    } catch (IllegalArgumentException e) {
      faults.add(path + ".routes: " + e.getMessage());
      return null;
    }
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
      routes.add(route);
    }
    return Map.of("routes", routes);
  }

  @Override
  public Map<String, Object> example() {
    return Documents.map(
        """
        kind: routing
        name: main
        routes:
        - {name: boarding, when: team = 'boarding', to: [boarding-team], more: true}
        - {name: all, to: [duty]}
        """);
  }
}
