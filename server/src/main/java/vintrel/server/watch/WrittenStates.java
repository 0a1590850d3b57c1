package vintrel.server.watch;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Predicate;
import org.springframework.stereotype.Component;
import vintrel.core.unit.Durations;
import vintrel.core.watch.Transition.Change;
import vintrel.server.database.Database;

/**
 * Finds the rules of which some server wrote transitions: what another server did reaches this one
 * so. Ids may become visible out of their order, hence a while is looked at again. One thread.
 */
@Component
class WrittenStates {
  private static final long AGAIN_NS = 20 * Durations.SECOND * 1_000_000;
  private static final int MOST = 5_000;

  private final Database database;
  private final Map<Long, Long> seen = new HashMap<>();
  private long floor;

  WrittenStates(Database database) {
    this.database = database;
  }

  /** What is written from now on is fresh; to be called before states are read. */
  void begin() {
    floor = last();
  }

  /**
   * The rules of transitions that were not seen before.
   *
   * @param mine rules that this server checks: of these only of what people do, acknowledging and
   *     taking it back
   */
  Set<String> fresh(Predicate<String> mine) {
    long now = System.nanoTime();
    var out = new TreeSet<String>();
    for (var row : after(floor)) {
      long id = (Long) row[0];
      if (seen.putIfAbsent(id, now) == null
          && (isByPeople((String) row[2]) || !mine.test((String) row[1]))) {
        out.add((String) row[1]);
      }
    }
    var settled = seen.entrySet().stream().filter(e -> now - e.getValue() > AGAIN_NS).toList();
    for (var e : settled) {
      floor = Math.max(floor, e.getKey());
    }
    seen.keySet().removeIf(id -> id <= floor);
    return out;
  }

  private static boolean isByPeople(String change) {
    return change.equals(Change.ACKNOWLEDGED.name()) || change.equals(Change.TAKEN_BACK.name());
  }

  private long last() {
    var last =
        database.with(
            s ->
                s.createSelectionQuery("select max(id) from Transition", Long.class)
                    .getSingleResult());
    return last == null ? 0 : last;
  }

  private List<Object[]> after(long id) {
    return database.with(
        s ->
            s.createSelectionQuery(
                    "select id, rule, change from Transition where id > :id order by id",
                    Object[].class)
                .setParameter("id", id)
                .setMaxResults(MOST)
                .getResultList());
  }
}
