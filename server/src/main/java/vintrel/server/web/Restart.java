package vintrel.server.web;

import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.locks.LockSupport;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.context.ConfigurableApplicationContext;
import org.springframework.stereotype.Component;

/**
 * Starts the application again within its process, with everything read from the disk anew. For
 * faults after which memory and disk may differ. Any thread.
 */
@Component
public class Restart {
  private static final Logger log = LoggerFactory.getLogger(Restart.class);
  private static final AtomicLong COUNT = new AtomicLong();
  private static final long MAX_PAUSE_S = 60;

  /** What starts the application; null where nothing but a test did. */
  private static volatile Runnable starter;

  private final ConfigurableApplicationContext context;
  private final AtomicBoolean under = new AtomicBoolean();

  Restart(ConfigurableApplicationContext context) {
    this.context = context;
  }

  /** Says how the application is started. */
  public static void startedBy(Runnable start) {
    starter = start;
  }

  /** How often it was started again since the process began. */
  public static long count() {
    return COUNT.get();
  }

  /** Starts it again, once; returns at once. */
  public void request(String why) {
    if (!under.compareAndSet(false, true)) {
      return;
    }
    log.warn("starting again: {}", why);
    var thread = new Thread(this::again, "restart");
    // The process must live until the new server does.
    thread.setDaemon(false);
    thread.start();
  }

  private void again() {
    long pause = 1;
    try {
      context.close();
    } catch (RuntimeException e) {
      log.error("closing before the restart: {}", e.toString(), e);
    }
    while (starter != null) {
      try {
        COUNT.incrementAndGet();
        starter.run();
        return;
      } catch (RuntimeException e) {
        log.error("could not start again, next attempt in {} s: {}", pause, e.toString());
        LockSupport.parkNanos(pause * 1_000_000_000L);
        pause = Math.min(MAX_PAUSE_S, 2 * pause);
      }
    }
  }
}
