package vintrel.server.tell;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ThreadLocalRandom;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.core.tell.Backoff;
import vintrel.server.database.Database;
import vintrel.server.database.Loops;
import vintrel.server.web.Duties;

/**
 * Sends what the outbox holds, each delivery on a virtual thread, so that a slow channel delays
 * only itself. An attempt is noted after it was made: a crash in between may send twice, never not
 * at all.
 */
@Component
class Dispatcher {
  private static final long PAUSE = 250;

  /** Not heard of for so long, ms, it is behind. */
  private static final long LATE = 30_000;

  /** In flight at once, of all addresses and of one. */
  private static final int AT_ONCE = 400;

  private static final int OF_ONE = 3;
  private static final int LOOKED_AT = 20_000;
  private static final int NOTED = 3;

  private final Database database;
  private final Senders senders;
  private final Clock clock;
  private final Duties duties;
  private final Loops loops;
  private volatile Loops.Loop loop;

  /** Ids of deliveries, with the address that each goes to. */
  private final Map<Long, String> inFlight = new ConcurrentHashMap<>();

  Dispatcher(Database database, Senders senders, Duties duties, Loops loops, Clock clock) {
    this.loops = loops;
    this.duties = duties;
    this.database = database;
    this.senders = senders;
    this.clock = clock;
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    loop =
        loops.start(
            "sending deliveries",
            PAUSE,
            "deliveries",
            () -> due().forEach(d -> Thread.ofVirtual().name("delivery").start(() -> attempt(d))));
  }

  /** Whether a delivery is on its way just now. */
  boolean isInFlight(long delivery) {
    return inFlight.containsKey(delivery);
  }

  /**
   * What is to be sent now: those in flight left out, a few of each address at once, so that an
   * address that hangs holds back itself alone.
   */
  private List<DeliveryRow> due() {
    var waiting =
        database.with(
            s ->
                s.createSelectionQuery(
                        "select id, channel, address from Delivery where state = :queued and nextAt"
                            + " <= :now order by id",
                        Object[].class)
                    .setParameter("queued", DeliveryRow.QUEUED)
                    .setParameter("now", clock.millis())
                    .setMaxResults(LOOKED_AT)
                    .getResultList());
    var chosen = Fair.choose(waiting, inFlight, OF_ONE, AT_ONCE);
    if (chosen.isEmpty()) {
      return List.of();
    }
    var rows =
        database.with(
            s ->
                s.createSelectionQuery(
                        "from Delivery where id in :ids order by id", DeliveryRow.class)
                    .setParameterList("ids", chosen.keySet())
                    .getResultList());
    rows.forEach(r -> inFlight.put(r.id, chosen.get(r.id)));
    return rows;
  }

  void attempt(DeliveryRow d) {
    try {
      long at = clock.millis();
      long started = System.nanoTime();
      var outcome = senders.send(d);
      var attempt = new AttemptRow();
      attempt.deliveryId = d.id;
      attempt.at = at;
      attempt.millis = (System.nanoTime() - started) / 1_000_000;
      attempt.ok = outcome.ok();
      attempt.answer = Outbox.cut(outcome.answer(), 1000);
      d.attempts++;
      d.answer = attempt.answer;
      long wait =
          Backoff.after(d.attempts, at - d.madeAt, ThreadLocalRandom.current().nextDouble());
      if (outcome.ok()) {
        d.state = DeliveryRow.SENT;
        d.doneAt = clock.millis();
      } else if (outcome.last() || wait < 0) {
        d.state = DeliveryRow.GIVEN_UP;
        d.doneAt = clock.millis();
      } else {
        d.nextAt = at + wait;
      }
      note(attempt, d);
    } catch (RuntimeException e) {
      // It stays in the outbox and is sent again: twice rather than not at all.
      duties.failed("sending a delivery", e);
    } finally {
      inFlight.remove(d.id);
    }
  }

  /** Tried again: what was sent is not to be sent again for a moment's fault of the database. */
  private void note(AttemptRow attempt, DeliveryRow d) {
    for (int i = 1; ; i++) {
      try {
        attempt.id = null;
        database.run(
            s -> {
              s.insert(attempt);
              s.update(d);
            });
        return;
      } catch (RuntimeException e) {
        if (i == NOTED) {
          throw e;
        }
      }
    }
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
  }
}
