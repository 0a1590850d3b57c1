package vintrel.server.store;

import java.util.ArrayList;
import java.util.List;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import vintrel.server.database.Database;

/** Inserts rows of new series; one that the database refuses does not hold back the others. */
final class SeriesRows {
  private static final Logger log = LoggerFactory.getLogger(SeriesRows.class);

  private SeriesRows() {}

  /**
   * Inserts rows; all of them together if that works, else halved until the bad ones are alone.
   *
   * @return those that the database does not take for what they hold
   * @throws RuntimeException if it takes none, whatever they hold
   */
  static List<SeriesRow> insert(Database database, List<SeriesRow> rows) {
    var refused = new ArrayList<SeriesRow>();
    insert(database, rows, refused);
    return refused;
  }

  private static void insert(Database database, List<SeriesRow> rows, List<SeriesRow> refused) {
    try {
      database.run(s -> s.insertMultiple(rows));
    } catch (RuntimeException e) {
      if (!Database.refusesData(e)) {
        throw e;
      }
      if (rows.size() > 1) {
        insert(database, rows.subList(0, rows.size() / 2), refused);
        insert(database, rows.subList(rows.size() / 2, rows.size()), refused);
      } else if (!there(database, rows.getFirst())) {
        log.error("the database rejected a series: {}", e.toString());
        refused.add(rows.getFirst());
      }
    }
  }

  /** Written by an earlier attempt whose end was not seen. */
  private static boolean there(Database database, SeriesRow row) {
    var known = database.with(s -> s.get(SeriesRow.class, row.id));
    return known != null
        && known.store.equals(row.store)
        && known.metric.equals(row.metric)
        && known.labels.equals(row.labels);
  }
}
