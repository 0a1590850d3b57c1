package vintrel.collector.probe;

import java.io.Closeable;
import java.io.IOException;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.TimeUnit;

/**
 * Ends a connection when its time is over, however slowly the other side drips. Used by one thread.
 */
final class Deadline implements AutoCloseable {
  private static final ScheduledExecutorService TIMER =
      Executors.newSingleThreadScheduledExecutor(
          Thread.ofPlatform().daemon().name("deadlines of probes").factory());

  private final long end;
  private ScheduledFuture<?> closing;
  private volatile boolean over;

  Deadline(long millis) {
    end = System.nanoTime() + millis * 1_000_000;
  }

  /** ms that are left, at least 1. */
  int left() {
    return (int) Math.max(1, (end - System.nanoTime()) / 1_000_000);
  }

  boolean isOver() {
    return over || System.nanoTime() >= end;
  }

  /** Closes something at the deadline. */
  void guard(Closeable what) {
    release();
    closing =
        TIMER.schedule(
            () -> {
              over = true;
              try {
                what.close();
              } catch (IOException e) {
                // It is closed then.
              }
            },
            left(),
            TimeUnit.MILLISECONDS);
  }

  private void release() {
    if (closing != null) {
      closing.cancel(false);
    }
  }

  @Override
  public void close() {
    release();
  }
}
