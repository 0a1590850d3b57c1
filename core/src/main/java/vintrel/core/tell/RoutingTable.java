package vintrel.core.tell;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;

/** Ordered rows; the last one is the default and takes whatever is left. */
public record RoutingTable(List<Route> routes) {
  public RoutingTable {
    routes = List.copyOf(routes);
    if (routes.isEmpty() || !routes.getLast().when().equals(Condition.ALL)) {
      throw new IllegalArgumentException(
          "the last route is the default and must not have a condition");
    }
  }

  /** What became of one row, in words. */
  public record Verdict(Route route, boolean matched, String why) {}

  /** Every row's verdict for labels, in order. */
  public List<Verdict> explain(Labels labels) {
    var out = new ArrayList<Verdict>();
    Route taken = null;
    for (var route : routes) {
      if (taken != null && !taken.more()) {
        out.add(
            new Verdict(
                route, false, "not tried: route " + taken.name() + " matched first and stops"));
        continue;
      }
      boolean match = route.when().test(labels);
      out.add(new Verdict(route, match, match ? "matches" : "does not match " + route.whenText()));
      taken = match ? route : taken;
    }
    return out;
  }

  /** The recipients of an alert with these labels, each once, in order. */
  public List<String> recipients(Labels labels) {
    var out = new LinkedHashSet<String>();
    explain(labels).stream()
        .filter(Verdict::matched)
        .forEach(v -> out.addAll(v.route().recipients()));
    return List.copyOf(out);
  }
}
