package vintrel.server.database;

import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.concurrent.locks.ReentrantLock;
import org.springframework.stereotype.Component;
import vintrel.server.web.Duties;

/** Runs work in the background again and again. Any thread. */
@Component
public class Loops {
  /** A loop that has not started a round for so long, ms beyond its period, is behind. */
  private static final long LATE_MS = 30_000;

  private static final long PAUSE_AFTER_FAULT_MS = 5_000;
  private static final long STOP_MS = 10_000;

  private final Duties duties;
  private final Leases leases;
  private final Map<String, Loop> loops = new ConcurrentSkipListMap<>();

  Loops(Duties duties, Leases leases) {
    this.duties = duties;
    this.leases = leases;
  }

  /** What is done in a round. */
  public interface Round {
    void run() throws InterruptedException;
  }

  /**
   * Starts a loop: a round, a pause, a round … A round that throws is logged and counted.
   *
   * @param name in words, such as "watching rules"
   * @param periodMs between the starts of two rounds
   * @param lease the job that only one server does; null if every server does it
   */
  public Loop start(String name, long periodMs, String lease, Round round) {
    return start(name, 0, periodMs, lease, round);
  }

  /**
   * As above.
   *
   * @param firstMs until the first round
   */
  public Loop start(String name, long firstMs, long periodMs, String lease, Round round) {
    var loop = new Loop(name, firstMs, periodMs, lease, round);
    loops.put(name, loop);
    return loop;
  }

  /** By name, by how many seconds the current or next round is late. */
  public Map<String, Double> lags() {
    var out = new TreeMap<String, Double>();
    loops.forEach((name, loop) -> out.put(name, loop.lagSeconds()));
    return out;
  }

  /** One of them. */
  public final class Loop implements AutoCloseable {
    private final String name;
    private final long firstMs;
    private final long periodMs;
    private final String lease;
    private final Round round;
    private final Duties.Duty duty;
    private final ReentrantLock lock = new ReentrantLock();
    private final java.util.concurrent.locks.Condition changed = lock.newCondition();
    private final Thread thread;
    private volatile long dueAt = System.nanoTime();
    private volatile boolean stopped;
    private boolean woken;

    private Loop(String name, long firstMs, long periodMs, String lease, Round round) {
      this.firstMs = firstMs;
      this.name = name;
      this.periodMs = periodMs;
      this.lease = lease;
      this.round = round;
      this.duty = duties.add(name, Math.max(firstMs, periodMs) + LATE_MS);
      this.thread = Thread.ofPlatform().daemon().name(name).start(this::run);
    }

    private void run() {
      try {
        pause(firstMs);
        while (!stopped) {
          duty.alive();
          long pause = periodMs;
          try {
            if (lease == null || leases.hold(lease)) {
              round.run();
            }
          } catch (RuntimeException | StackOverflowError e) {
            if (!stopped) {
              duty.failed(e);
            }
            pause = Math.max(periodMs, PAUSE_AFTER_FAULT_MS);
          }
          pause(pause);
        }
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      }
      duty.over();
    }

    private void pause(long ms) throws InterruptedException {
      lock.lock();
      try {
        // From when the round was due, so that rounds keep their pace; late ones don't pile up.
        dueAt = Math.max(dueAt + ms * 1_000_000, System.nanoTime());
        for (long left = dueAt - System.nanoTime(); left > 0 && !woken && !stopped; ) {
          left = changed.awaitNanos(left);
        }
        woken = false;
      } finally {
        lock.unlock();
      }
    }

    /** Starts the next round now. */
    public void wake() {
      signal(false);
    }

    private void signal(boolean stop) {
      lock.lock();
      try {
        stopped |= stop;
        woken = true;
        changed.signalAll();
      } finally {
        lock.unlock();
      }
    }

    double lagSeconds() {
      return stopped ? 0 : Math.max(0, (System.nanoTime() - dueAt) / 1e9);
    }

    /**
     * Ends it after its round. Its thread is never interrupted: an interrupted thread closes the
     * database's file.
     */
    @Override
    public void close() {
      signal(true);
      try {
        thread.join(STOP_MS);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      }
      loops.remove(name, this);
    }
  }
}
