package vintrel.server.ask;

import java.sql.Connection;
import java.sql.SQLException;
import java.util.concurrent.CancellationException;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;

/**
 * One deadline for calls of drivers that know none for a part of what they do, such as the answer
 * to a sign-in. What does not end in time is left to itself: a connection that comes later is
 * closed. Any thread.
 */
final class Deadline {
  /** Calls that were left to themselves and have not ended. */
  private static final int MAX_LEFT = 64;

  private static final Semaphore SLOTS = new Semaphore(MAX_LEFT);

  private Deadline() {}

  /** A call that may take its time. */
  interface Call<T> {
    T run() throws SQLException;
  }

  /**
   * @throws SQLException with a state of class 08 if it does not end within so many ms, or too many
   *     others have not ended
   */
  static <T> T within(long millis, Call<T> call) throws SQLException {
    if (!SLOTS.tryAcquire()) {
      throw new SQLException("too many other connections do not respond", "08001");
    }
    var result = new CompletableFuture<T>();
    Thread.ofVirtual()
        .name("sql call")
        .start(
            () -> {
              try {
                var value = call.run();
                if (!result.complete(value) && value instanceof Connection late) {
                  late.close();
                }
              } catch (SQLException | RuntimeException | Error e) {
                result.completeExceptionally(e);
              } finally {
                SLOTS.release();
              }
            });
    try {
      return result.get(millis, TimeUnit.MILLISECONDS);
    } catch (TimeoutException e) {
      if (!result.cancel(false)) {
        return within(result);
      }
      throw new SQLException(
          "no response within %d s".formatted(Math.max(1, millis / 1000)), "08001");
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      result.cancel(false);
      throw new SQLException("interrupted", "08001");
    } catch (ExecutionException e) {
      throw cause(e);
    }
  }

  /** The result that came just before it was cancelled. */
  private static <T> T within(CompletableFuture<T> result) throws SQLException {
    try {
      return result.getNow(null);
    } catch (CancellationException e) {
      throw new SQLException("no response", "08001");
    } catch (java.util.concurrent.CompletionException e) {
      throw cause(e);
    }
  }

  private static SQLException cause(Exception e) {
    return switch (e.getCause()) {
      case SQLException s -> s;
      case RuntimeException r -> throw r;
      case Error error -> throw error;
      case null, default -> new SQLException(e);
    };
  }
}
