package vintrel.server.watch;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.List;
import java.util.concurrent.atomic.AtomicLong;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;
import vintrel.server.database.Loops;
import vintrel.server.define.Definitions;
import vintrel.server.tell.Outbox;
import vintrel.server.web.Settings;

/**
 * Removes records that are past their retention: transitions and notes, messages and their
 * attempts, versions of definitions, some hundreds in a transaction. Messages that are not done
 * stay, however old. Age is counted from the newest transition, or from the clock if that is
 * earlier: a clock that jumps ahead removes nothing.
 */
@Component
class RecordSweep {
  private static final Logger log = LoggerFactory.getLogger(RecordSweep.class);
  private static final int BATCH = 500;

  /** Versions of each definition that stay, however old. */
  private static final int VERSIONS = 20;

  private final Database database;
  private final Outbox outbox;
  private final Definitions definitions;
  private final Loops loops;
  private final Clock clock;
  private final long keepTransitions;
  private final long keepMessages;
  private final long keepRevisions;
  private final AtomicLong removed = new AtomicLong();
  private volatile Loops.Loop loop;

  RecordSweep(
      Database database,
      Outbox outbox,
      Definitions definitions,
      Loops loops,
      Settings settings,
      Clock clock) {
    this.definitions = definitions;
    this.database = database;
    this.outbox = outbox;
    this.loops = loops;
    this.clock = clock;
    this.keepTransitions = settings.records().transitions().toMillis();
    this.keepMessages = settings.records().messages().toMillis();
    this.keepRevisions = settings.records().revisions().toMillis();
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    loop =
        loops.start(
            "removing expired records", Durations.HOUR, Durations.HOUR, "records", this::run);
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
  }

  /** How many records were removed since the start. */
  long removed() {
    return removed.get();
  }

  /** Removes what is too old; returns how many records. */
  synchronized long run() {
    var newest =
        database.with(
            s ->
                s.createSelectionQuery("select max(at) from Transition", Long.class)
                    .getSingleResult());
    if (newest == null) {
      return 0;
    }
    long now = Math.min(clock.millis(), newest);
    long out =
        sweep("Transition", "at", now - keepTransitions)
            + sweep("AlertNote", "at", now - keepTransitions);
    for (int n = BATCH; n == BATCH; out += n) {
      n = outbox.sweep(now - keepMessages, BATCH);
    }
    for (int n = BATCH; n == BATCH; out += n) {
      n = outbox.sweepNotices(now - keepMessages, BATCH);
    }
    out += sweep("Shelf", "untilAt", now - keepTransitions);
    for (int n = BATCH; n == BATCH; out += n) {
      n = definitions.sweep(now - keepRevisions, VERSIONS, BATCH);
    }
    removed.addAndGet(out);
    if (out > 0) {
      log.info("removed {} records past their retention", out);
    }
    return out;
  }

  private long sweep(String entity, String time, long before) {
    long out = 0;
    for (int n = BATCH; n == BATCH; out += n) {
      n =
          database.with(
              s -> {
                List<Long> ids =
                    s.createSelectionQuery(
                            "select id from %s where %s < :before order by %s"
                                .formatted(entity, time, time),
                            Long.class)
                        .setParameter("before", before)
                        .setMaxResults(BATCH)
                        .getResultList();
                if (!ids.isEmpty()) {
                  s.createMutationQuery("delete from " + entity + " where id in :ids")
                      .setParameter("ids", ids)
                      .executeUpdate();
                }
                return ids.size();
              });
    }
    return out;
  }
}
