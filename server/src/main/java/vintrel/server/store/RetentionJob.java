package vintrel.server.store;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Service;
import vintrel.core.store.Tier;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;
import vintrel.server.database.Loops;
import vintrel.server.database.SampleOwner;

/**
 * Drops what is older than its store keeps it: whole chunks, a few thousand at a time, so that no
 * caller waits for it; then the series without any samples.
 *
 * <p>Age is counted from the newest sample that the store took, or from the clock if that is
 * earlier: a clock that jumps ahead deletes nothing.
 */
@Service
public class RetentionJob {
  private static final Logger log = LoggerFactory.getLogger(RetentionJob.class);
  private static final int BATCH = 2000;

  private final DurableStore store;
  private final NamedStores stores;
  private final LogStore events;
  private final Database database;
  private final Loops loops;
  private final SampleOwner owner;
  private final Clock clock;
  private volatile Loops.Loop loop;

  RetentionJob(
      DurableStore store,
      NamedStores stores,
      LogStore events,
      Database database,
      Loops loops,
      SampleOwner owner,
      Clock clock) {
    this.owner = owner;
    this.loops = loops;
    this.store = store;
    this.stores = stores;
    this.events = events;
    this.database = database;
    this.clock = clock;
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    if (!owner.takes()) {
      // The lease stays free for the server that does.
      return;
    }
    loop =
        loops.start(
            "removing expired samples", Durations.HOUR, Durations.HOUR, "retention", this::run);
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
  }

  /** What one run dropped. */
  public record Dropped(int chunks, int series) {}

  /** Drops everything that is too old; returns when it is done. */
  public synchronized Dropped run() {
    events.drop(Math.min(clock.millis(), events.newest()));
    long now = Math.min(clock.millis(), store.newest());
    int chunks = 0;
    int series = 0;
    if (store.newest() == Long.MIN_VALUE || !owner.takes()) {
      return new Dropped(0, 0);
    }
    for (var named : stores.all()) {
      for (int code = 0; code <= Tier.ALL.size(); code++) {
        chunks += drop(named.name(), code, now - named.retention().of(code));
      }
      series += store.dropSeries(named.name(), now - named.retention().hour());
    }
    if (chunks > 0) {
      store.dropped();
      log.info("removed {} chunks and {} series past their retention", chunks, series);
    }
    return new Dropped(chunks, series);
  }

  private int drop(String named, int code, long limit) {
    int dropped = 0;
    List<Long> ids;
    do {
      ids =
          database.with(
              s ->
                  s.createSelectionQuery(
                          "select c.id from Chunk c join Series s on s.id = c.seriesId where"
                              + " s.store = :store and c.tier = :tier and c.sealed = true and"
                              + " c.endTime < :limit",
                          Long.class)
                      .setParameter("store", named)
                      .setParameter("tier", code)
                      .setParameter("limit", limit)
                      .setMaxResults(BATCH)
                      .getResultList());
      delete(ids);
      dropped += ids.size();
    } while (ids.size() == BATCH);
    return dropped;
  }

  private void delete(List<Long> ids) {
    if (!ids.isEmpty()) {
      var some = new ArrayList<>(ids);
      database.run(
          s ->
              s.createMutationQuery("delete from Chunk where id in :ids")
                  .setParameterList("ids", some)
                  .executeUpdate());
    }
  }
}
