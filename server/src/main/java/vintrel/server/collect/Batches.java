package vintrel.server.collect;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.Duration;
import org.springframework.stereotype.Component;
import vintrel.core.store.StoreBusyException;
import vintrel.server.store.BatchMark;
import vintrel.server.web.CurrentUser;

/**
 * Requests of collectors that were taken already. A collector numbers its requests in the header
 * {@code Vintrel-Batch} and sends one again whose answer it did not see; it is then answered as
 * taken and not stored again. Remembered here for an hour; of log records, the last number is kept
 * with them ({@link BatchMark}), since a sample that comes twice is the same and a record is not.
 * Any thread.
 */
@Component
class Batches {
  private static final String HEADER = "Vintrel-Batch";
  private static final int MAX_NAME = 200;
  private static final int MAX_KNOWN = 200_000;

  private final Clock clock;

  Batches(Clock clock) {
    this.clock = clock;
  }

  private enum State {
    UNDER_WAY,
    TAKEN
  }

  private final Cache<String, State> known =
      Caffeine.newBuilder().maximumSize(MAX_KNOWN).expireAfterWrite(Duration.ofHours(1)).build();

  /**
   * A request that is being read. Closed without {@link #taken} it may come again.
   *
   * @param isKnown whether it was taken before
   */
  final class Batch implements AutoCloseable {
    private final String key;
    final boolean isKnown;
    private final BatchMark mark;
    private boolean taken;

    private Batch(String key, boolean isKnown, BatchMark mark) {
      this.mark = mark;
      this.key = key;
      this.isKnown = isKnown;
    }

    /** To be kept with its records; null if it has no number. */
    BatchMark mark() {
      return mark;
    }

    void taken() {
      taken = true;
      if (key != null) {
        known.put(key, State.TAKEN);
      }
    }

    @Override
    public void close() {
      if (key != null && !taken && !isKnown) {
        known.invalidate(key);
      }
    }
  }

  /**
   * @throws StoreBusyException if the same request is being stored just now
   */
  Batch of(HttpServletRequest request) {
    var name = request.getHeader(HEADER);
    if (name == null || name.isBlank() || name.length() > MAX_NAME) {
      return new Batch(null, false, null);
    }
    var key = CurrentUser.name() + "\n" + name;
    var before = known.asMap().putIfAbsent(key, State.UNDER_WAY);
    if (before == State.UNDER_WAY) {
      throw new StoreBusyException("this request is being stored; send it again later", 1);
    }
    return new Batch(key, before == State.TAKEN, mark(key));
  }

  /** The name ends with a slash and a number. */
  private BatchMark mark(String key) {
    int slash = key.lastIndexOf('/');
    boolean fits =
        slash > 0
            && slash <= BatchMark.MAX_SENDER
            && key.length() - slash - 1 <= BatchMark.MAX_NUMBER;
    return fits
        ? new BatchMark(key.substring(0, slash), key.substring(slash + 1), clock.millis())
        : null;
  }
}
