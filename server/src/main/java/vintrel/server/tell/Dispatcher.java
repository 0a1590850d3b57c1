package vintrel.server.tell;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.core.tell.Backoff;
import vintrel.server.keep.Database;

/**
 * Sends what the outbox holds, each delivery on a virtual thread, so that a slow channel delays
 * only itself. An attempt is noted after it was made: a crash in between may send twice, never not
 * at all.
 */
@Component
class Dispatcher {
  private static final Logger log = LoggerFactory.getLogger(Dispatcher.class);
  private static final long PAUSE = 250;
  private static final int AT_ONCE = 50;

  private final Database database;
  private final Senders senders;
  private final Clock clock;
  private final Set<Long> inFlight = ConcurrentHashMap.newKeySet();
  private final CountDownLatch stopped = new CountDownLatch(1);

  Dispatcher(Database database, Senders senders, Clock clock) {
    this.database = database;
    this.senders = senders;
    this.clock = clock;
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    Thread.ofPlatform().daemon().name("dispatcher").start(this::run);
  }

  private void run() {
    // Never interrupted: that could close the database's file under it.
    while (true) {
      try {
        due().forEach(d -> Thread.ofVirtual().start(() -> attempt(d)));
        if (stopped.await(PAUSE, TimeUnit.MILLISECONDS)) {
          return;
        }
      } catch (InterruptedException e) {
        return;
      } catch (RuntimeException e) {
        log.error("deliveries wait: {}", e.toString());
        if (pausedUntilStop()) {
          return;
        }
      }
    }
  }

  private boolean pausedUntilStop() {
    try {
      return stopped.await(5, TimeUnit.SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return true;
    }
  }

  private List<DeliveryRow> due() {
    var rows =
        database.with(
            s ->
                s.createSelectionQuery(
                        "from Delivery where state = :queued and nextAt <= :now order by id",
                        DeliveryRow.class)
                    .setParameter("queued", DeliveryRow.QUEUED)
                    .setParameter("now", clock.millis())
                    .setMaxResults(AT_ONCE)
                    .getResultList());
    return rows.stream().filter(r -> inFlight.add(r.id)).toList();
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
      database.run(
          s -> {
            s.insert(attempt);
            s.update(d);
          });
    } catch (RuntimeException e) {
      log.error("an attempt could not be noted: {}", e.toString());
    } finally {
      inFlight.remove(d.id);
    }
  }

  @PreDestroy
  void stop() {
    stopped.countDown();
  }
}
