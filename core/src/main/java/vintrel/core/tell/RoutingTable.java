package vintrel.core.tell;

import java.util.List;
import vintrel.core.series.Condition;

/** Ordered rows; the last one is the default and takes whatever is left. */
public record RoutingTable(List<Route> routes) {
  public RoutingTable {
    routes = List.copyOf(routes);
    if (routes.isEmpty() || !routes.getLast().when().equals(Condition.ALL)) {
      throw new IllegalArgumentException(
          "the last route is the default and must not have a condition");
    }
  }

  /** The row of a name, or null. */
  public Route route(String name) {
    return routes.stream().filter(r -> r.name().equals(name)).findFirst().orElse(null);
  }
}
