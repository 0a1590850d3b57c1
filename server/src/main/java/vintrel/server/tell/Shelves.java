package vintrel.server.tell;

import java.time.Clock;
import java.util.Collection;
import java.util.List;
import org.springframework.stereotype.Component;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Condition;
import vintrel.core.tell.Shelf;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;

/**
 * Shelves: alerts that notify nobody for a while, one alert or all that meet a condition. They are
 * in the database alone, so that every server knows them. Any thread.
 */
@Component
public class Shelves {
  /** The longest shelf, ms. */
  public static final long MAX_LENGTH = 7 * Durations.DAY;

  /** Shelves that are in force at once. */
  static final int MAX_SHELVES = 10_000;

  private static final int MAX_REASON = 500;
  private static final int MAX_CONDITION = 10_000;

  private final Database database;
  private final Clock clock;

  Shelves(Database database, Clock clock) {
    this.database = database;
    this.clock = clock;
  }

  /**
   * Shelves each of some alerts; what shelved one of them before ends.
   *
   * @param alerts their keys
   * @param critical whether they stay shelved when they are critical
   * @throws IllegalArgumentException if it is too long, or if there are too many shelves
   */
  public void shelve(
      Collection<String> alerts, String reason, String author, long until, boolean critical) {
    long now = clock.millis();
    checkEnd(now, until);
    checkRoom(alerts.size());
    database.run(
        s -> {
          for (var alert : alerts) {
            end(s, alert, author, now);
            s.insert(row(alert, "", reason, author, now, until, critical));
          }
        });
  }

  /**
   * Shelves whatever meets a condition.
   *
   * @param when as after {@code where}
   * @return its id
   * @throws QueryException if the condition can't be read
   * @throws IllegalArgumentException if it is empty, the shelf too long, or there are too many
   */
  public long shelve(String when, String reason, String author, long until, boolean critical) {
    if (when.isBlank()) {
      throw new IllegalArgumentException(
          "`when` needs a condition, such as site = 'mid-isles'; without one, all alerts would be"
              + " shelved");
    }
    if (when.length() > MAX_CONDITION) {
      throw new IllegalArgumentException("`when` may have at most 10,000 characters");
    }
    Parser.parseCondition(when);
    if (reason.length() > MAX_REASON) {
      throw new IllegalArgumentException("a reason may have at most 500 characters");
    }
    long now = clock.millis();
    checkEnd(now, until);
    checkRoom(1);
    return database.with(
        s -> {
          var row = row("", when, reason, author, now, until, critical);
          s.insert(row);
          return row.id;
        });
  }

  private static ShelfRow row(
      String alert,
      String when,
      String reason,
      String author,
      long from,
      long until,
      boolean critical) {
    var row = new ShelfRow();
    row.alert = alert;
    row.whenText = when;
    row.reason = reason;
    row.author = author;
    row.fromAt = from;
    row.untilAt = until;
    row.critical = critical;
    row.endedBy = "";
    return row;
  }

  private static void checkEnd(long now, long until) {
    if (until <= now || until > now + MAX_LENGTH) {
      throw new IllegalArgumentException("a shelf ends within 7 days");
    }
  }

  private void checkRoom(int more) {
    if (countInForce() + more > MAX_SHELVES) {
      throw new IllegalArgumentException(
          "there are too many shelves; the limit is %,d. End some, or shelve by a condition"
              .formatted(MAX_SHELVES));
    }
  }

  private long countInForce() {
    return database.with(
        s ->
            s.createSelectionQuery("select count(*) from Shelf where untilAt > :now", Long.class)
                .setParameter("now", clock.millis())
                .getSingleResult());
  }

  private static void end(org.hibernate.StatelessSession s, String alert, String who, long now) {
    s.createMutationQuery(
            "update Shelf set untilAt = :now, endedBy = :who where alert = :alert and untilAt >"
                + " :now")
        .setParameter("now", now)
        .setParameter("who", who)
        .setParameter("alert", alert)
        .executeUpdate();
  }

  /** Ends what shelves some alerts each by itself; shelves by conditions stay. */
  public void unshelve(Collection<String> alerts, String who) {
    long now = clock.millis();
    database.run(s -> alerts.forEach(a -> end(s, a, who, now)));
  }

  /**
   * Ends a shelf now.
   *
   * @return false if none of this id is in force
   */
  public boolean end(long id, String who) {
    long now = clock.millis();
    return database.with(
            s ->
                s.createMutationQuery(
                        "update Shelf set untilAt = :now, endedBy = :who where id = :id and"
                            + " untilAt > :now")
                    .setParameter("now", now)
                    .setParameter("who", who)
                    .setParameter("id", id)
                    .executeUpdate())
        > 0;
  }

  /** Those in force now, oldest first. */
  public List<Shelf> inForce() {
    return overlapping(clock.millis(), Long.MAX_VALUE);
  }

  /** Those that were or will be in force at some time of a range, ms, oldest first. */
  public List<Shelf> overlapping(long from, long to) {
    return database.with(
        s ->
            s
                .createSelectionQuery(
                    "from Shelf where untilAt > :from and fromAt < :to order by id", ShelfRow.class)
                .setParameter("from", from)
                .setParameter("to", to)
                .setMaxResults(2 * MAX_SHELVES)
                .getResultList()
                .stream()
                .map(Shelves::shelf)
                .toList());
  }

  private static Shelf shelf(ShelfRow r) {
    Condition when;
    try {
      when = Parser.parseCondition(r.whenText);
    } catch (QueryException e) {
      // Written by a version that read it: it shelves nothing rather than everything.
      when = new Condition.Not(Condition.ALL);
    }
    return new Shelf(
        r.id, r.alert, when, r.whenText, r.reason, r.author, r.fromAt, r.untilAt, r.critical);
  }
}
