package vintrel.server.ask;

import java.net.URI;
import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import org.springframework.stereotype.Component;
import vintrel.core.collect.ConnectionSteps;
import vintrel.core.frame.Column;
import vintrel.core.query.syntax.QueryException;
import vintrel.server.reach.Reach;

/** Tests the connection to an external store: name, route, sign-in, a query, the clocks. */
@Component
class StoreConnection {
  private static final Pattern PLACE = Pattern.compile("//([^/:;?]+)(?::(\\d+))?");
  private static final Map<String, Integer> PORTS =
      Map.of("postgresql", 5432, "mariadb", 3306, "mysql", 3306, "h2", 9092);

  private final ExternalStores stores;
  private final SqlStores sql;
  private final Reach reach;
  private final Clock clock;

  StoreConnection(ExternalStores stores, SqlStores sql, Reach reach, Clock clock) {
    this.stores = stores;
    this.sql = sql;
    this.reach = reach;
    this.clock = clock;
  }

  List<ConnectionSteps.Step> of(String name) {
    var known =
        stores.all().stream()
            .filter(s -> s.name().equals(name))
            .findFirst()
            .orElseThrow(
                () ->
                    new java.util.NoSuchElementException("no external store named `" + name + "`"));
    return known.form() == ExternalStores.Form.SQL ? database(name) : server(name);
  }

  private List<ConnectionSteps.Step> database(String name) {
    var access = stores.need(ExternalStores.Form.SQL, name);
    var m = PLACE.matcher(access.url());
    var kind = access.url().split(":")[1];
    if (!m.find()) {
      return new ConnectionSteps().bad("Name", "the address has no host", "").steps();
    }
    int port = m.group(2) == null ? PORTS.getOrDefault(kind, 0) : Integer.parseInt(m.group(2));
    var steps = reach.tcp(m.group(1), port);
    if (steps.hasFailed()) {
      return steps.ok("Sign-in", "").ok("Query", "").ok("Clock", "").steps();
    }
    long before = clock.millis();
    try {
      var frame =
          sql.ask(access, "select current_timestamp as now", before, before, 1_000, () -> false);
      long after = clock.millis();
      steps.ok("Sign-in", access.username().isEmpty() ? "" : "as " + access.username());
      steps.ok("Query", after - before + " ms");
      if (frame.columns().getFirst() instanceof Column.Time t && t.values().length > 0) {
        steps.clock(t.values()[0] - (before + after) / 2);
      }
    } catch (QueryException e) {
      var text = e.getMessage();
      boolean away = e.code().equals("unreachable");
      if (away) {
        steps.bad("Sign-in", text, "check user and password, and whether the database exists");
        steps.ok("Query", "").ok("Clock", "");
      } else {
        steps.ok("Sign-in", "");
        steps.bad("Query", text, "check what this user may read").ok("Clock", "");
      }
    }
    return steps.steps();
  }

  private List<ConnectionSteps.Step> server(String name) {
    var access = stores.need(ExternalStores.Form.VINTREL, name);
    var base = access.url().replaceAll("/+$", "");
    var asked =
        reach.http(
            base + "/api/v1/metrics?search=vintrel",
            "get",
            Map.of("Authorization", "Bearer " + access.secret()));
    var steps = asked.steps();
    if (asked.finding().status() == 200 && asked.finding().type().contains("json")) {
      steps.ok("Query", "it lists its metrics");
    } else {
      steps.bad(
          "Query",
          "no list of metrics came back",
          "check that " + URI.create(base).getHost() + " is a Vintrel server");
    }
    return steps.clock(asked.finding().clockAhead()).steps();
  }
}
