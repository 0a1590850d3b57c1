package vintrel.server.watch;

import java.time.Clock;
import java.util.List;
import java.util.Set;
import org.springframework.stereotype.Component;
import vintrel.core.define.Definition;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.server.ask.Queries;
import vintrel.server.define.SavingCheck;
import vintrel.server.web.Pools;

/**
 * Whether a rule can be checked within the limits of a check: one that can't is not saved, and one
 * that no longer can is paused. Any thread.
 */
@Component
class RuleCost implements SavingCheck {
  private static final long TIMEOUT_MS = 10_000;

  /** What a query needs too much of, whatever else goes on meanwhile. */
  private static final Set<String> LIMITS =
      Set.of(
          "limit.memory",
          "limit.values",
          "limit.samples",
          "limit.series",
          "limit.buckets",
          "limit.rows",
          "limit.bytes",
          "limit.depth");

  private final Queries queries;
  private final Pools pools;
  private final Clock clock;

  RuleCost(Queries queries, Pools pools, Clock clock) {
    this.queries = queries;
    this.pools = pools;
    this.clock = clock;
  }

  /** Whether a query would end like this again. */
  static boolean tooExpensive(QueryException e) {
    return LIMITS.contains(e.code());
  }

  @Override
  public List<String> faults(Definition definition) {
    if (!(definition instanceof Definition.OfRule of)) {
      return List.of();
    }
    var rule = of.rule();
    var band = rule.isOfBand() ? BandLearning.fault(rule) : null;
    if (band != null) {
      return List.of("rule %s: query: %s".formatted(rule.name(), band));
    }
    try {
      var query = Parser.parse(rule.query());
      long at = clock.millis() - rule.behind();
      pools
          .rules()
          .run(
              "saving " + rule.name(),
              () -> queries.watching().readings(query, rule.line(), at, rule.every(), TIMEOUT_MS));
    } catch (QueryException e) {
      // What it names may come to be: only what it costs is refused.
      if (tooExpensive(e)) {
        return List.of("rule %s: query: %s".formatted(rule.name(), e.getMessage()));
      }
    }
    return List.of();
  }
}
