package vintrel.server.database;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.Map;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.beans.factory.annotation.Autowired;
import org.springframework.stereotype.Component;

/**
 * Lets one of several servers on one database do a job. A lease is a row with an owner and an end;
 * whoever finds it free or expired takes it, and renews it while the job goes on. A database file
 * belongs to one process, which therefore holds all leases at once, also after a kill. Clocks of
 * servers that share a database may differ by a few seconds. Any thread.
 */
@Component
public class Leases {
  private static final Logger log = LoggerFactory.getLogger(Leases.class);

  /** A job moves to another server this long after its server vanished. */
  static final long DURATION_MS = 30_000;

  /** Leases that only say that a server is there. */
  private static final String PRESENCE = "server ";

  private final Database database;
  private final Clock clock;
  private final String owner;

  /** Until when this server holds each, ms. */
  private final Map<String, Long> held = new ConcurrentHashMap<>();

  @Autowired
  Leases(Database database, Clock clock) {
    this(database, clock, UUID.randomUUID().toString());
  }

  Leases(Database database, Clock clock, String owner) {
    this.database = database;
    this.clock = clock;
    this.owner = owner;
  }

  /** Whether other servers may use the same database. */
  public boolean areShared() {
    return !database.isFile();
  }

  /** True if this server does the job now: it took or renewed the lease, or none is needed. */
  public boolean hold(String job) {
    if (database.isFile()) {
      return true;
    }
    long now = clock.millis();
    long until = held.getOrDefault(job, 0L);
    if (until - now > DURATION_MS / 2 && until - now <= DURATION_MS) {
      return true;
    }
    boolean mine = take(job, now);
    if (mine) {
      held.put(job, now + DURATION_MS);
    } else {
      held.remove(job);
    }
    return mine;
  }

  private boolean take(String job, long now) {
    int updated =
        database.with(
            s ->
                s.createMutationQuery(
                        "update Lease set owner = :owner, until = :until where name = :name and"
                            + " (owner = :owner or until < :now)")
                    .setParameter("owner", owner)
                    .setParameter("until", now + DURATION_MS)
                    .setParameter("name", job)
                    .setParameter("now", now)
                    .executeUpdate());
    return updated > 0 || insert(job, now);
  }

  private boolean insert(String job, long now) {
    try {
      return database.with(
          s -> {
            if (s.get(LeaseRow.class, job) != null) {
              return false;
            }
            var row = new LeaseRow();
            row.name = job;
            row.owner = owner;
            row.until = now + DURATION_MS;
            s.insert(row);
            return true;
          });
    } catch (RuntimeException e) {
      if (Database.refusesData(e)) {
        // Another server was faster.
        return false;
      }
      throw e;
    }
  }

  /** Gives one back: another server may do the job at once. Nothing happens if it is not held. */
  public void giveBack(String job) {
    if (held.remove(job) != null) {
      database.run(
          s ->
              s.createMutationQuery("delete from Lease where name = :name and owner = :owner")
                  .setParameter("name", job)
                  .setParameter("owner", owner)
                  .executeUpdate());
    }
  }

  /** How many servers have shown within the last while that they are there; with this one. */
  public int servers() {
    if (database.isFile()) {
      return 1;
    }
    hold(PRESENCE + owner);
    long now = clock.millis();
    return Math.max(
        1,
        database.with(
            s ->
                s.createSelectionQuery(
                        "select count(*) from Lease where name like :presence and until >= :now",
                        Long.class)
                    .setParameter("presence", PRESENCE + "%")
                    .setParameter("now", now)
                    .getSingleResult()
                    .intValue()));
  }

  /** Gives all leases back, so that another server need not wait for their end. */
  @PreDestroy
  void release() {
    if (held.isEmpty()) {
      return;
    }
    held.clear();
    try {
      database.run(
          s ->
              s.createMutationQuery("delete from Lease where owner = :owner")
                  .setParameter("owner", owner)
                  .executeUpdate());
    } catch (RuntimeException e) {
      log.warn("could not release leases; they end by themselves: {}", e.toString());
    }
  }
}
