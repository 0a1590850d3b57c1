package vintrel.server.ask;

import java.time.Clock;
import org.springframework.stereotype.Component;
import vintrel.collector.probe.Prober;
import vintrel.core.collect.Check;
import vintrel.core.collect.Finding;
import vintrel.core.frame.Column;
import vintrel.core.unit.Durations;

/** Runs the statements of checks in SQL stores. Any thread. */
@Component
public class SqlStatements implements Prober.Statements {
  private final ExternalStores stores;
  private final SqlStores sql;
  private final Clock clock;

  SqlStatements(ExternalStores stores, SqlStores sql, Clock clock) {
    this.stores = stores;
    this.sql = sql;
    this.clock = clock;
  }

  @Override
  public void run(Check.Sql probe, long timeout, Finding finding) {
    long end = System.nanoTime() + timeout * 1_000_000;
    long now = clock.millis();
    var access = stores.need(ExternalStores.Form.SQL, probe.store());
    try {
      // :from and :to are the last hour, for statements that ask for what is recent.
      var frame =
          sql.ask(
              access,
              probe.statement(),
              now - Durations.HOUR,
              now,
              Durations.MINUTE,
              () -> System.nanoTime() > end);
      double first = Double.NaN;
      for (var column : frame.columns()) {
        if (column instanceof Column.Number n && n.values().length > 0) {
          first = n.values()[0];
          break;
        }
      }
      finding.rows(first, frame.rows());
    } catch (vintrel.core.query.syntax.QueryException e) {
      if (System.nanoTime() > end) {
        throw new IllegalStateException("no response within " + Durations.words(timeout), e);
      }
      throw e;
    }
  }
}
