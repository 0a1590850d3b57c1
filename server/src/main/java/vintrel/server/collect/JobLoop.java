package vintrel.server.collect;

import java.time.Clock;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import vintrel.core.collect.JobTiming;

/**
 * Runs work at a fixed phase of its interval, on a virtual thread of its own. A run never overlaps
 * the next one. It ends by a latch, never by an interrupt, which could hit a write to the database;
 * a run that is under way then is finished.
 */
final class JobLoop {
  private static final Logger log = LoggerFactory.getLogger(JobLoop.class);

  /** The first run comes within so long, ms, spread as the later ones are. */
  private static final long SOON_MS = 10_000;

  private final CountDownLatch end = new CountDownLatch(1);

  private JobLoop() {}

  /**
   * Starts one.
   *
   * @param name for the log, without secrets
   * @param every ms
   * @param phase ms, as {@link JobTiming#phase} gives it
   */
  static JobLoop start(String name, Clock clock, long every, long phase, Runnable work) {
    var loop = new JobLoop();
    Thread.ofVirtual().name(name).start(() -> loop.run(name, clock, every, phase, work));
    return loop;
  }

  private void run(String name, Clock clock, long every, long phase, Runnable work) {
    long now = clock.millis();
    // What runs once an hour says something soon after it was made, too.
    long wait = Math.min(JobTiming.next(now, every, phase) - now, 1 + phase % SOON_MS);
    while (!ended(wait)) {
      try {
        work.run();
      } catch (RuntimeException e) {
        log.error("{} runs again next time", name, e);
      }
      now = clock.millis();
      wait = JobTiming.next(now, every, phase) - now;
    }
  }

  /** Waits; true if it was ended meanwhile. */
  boolean ended(long ms) {
    try {
      return end.await(ms, TimeUnit.MILLISECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return true;
    }
  }

  boolean isEnded() {
    return end.getCount() == 0;
  }

  /** Does nothing until it is ended: for those who wait by themselves. */
  static JobLoop idle() {
    return new JobLoop();
  }

  void end() {
    end.countDown();
  }
}
