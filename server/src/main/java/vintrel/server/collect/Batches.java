package vintrel.server.collect;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import jakarta.servlet.http.HttpServletRequest;
import java.time.Duration;
import org.springframework.stereotype.Component;
import vintrel.core.store.StoreBusyException;
import vintrel.server.web.CurrentUser;

/**
 * Requests of collectors that were taken already. A collector numbers its requests in the header
 * {@code Vintrel-Batch} and sends one again whose answer it did not see; it is then answered as
 * taken and not stored again. Remembered for an hour, not over a restart of the server. Any thread.
 */
@Component
class Batches {
  private static final String HEADER = "Vintrel-Batch";
  private static final int MAX_NAME = 200;
  private static final int MAX_KNOWN = 200_000;

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
    private boolean taken;

    private Batch(String key, boolean isKnown) {
      this.key = key;
      this.isKnown = isKnown;
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
      return new Batch(null, false);
    }
    var key = CurrentUser.name() + "\n" + name;
    var before = known.asMap().putIfAbsent(key, State.UNDER_WAY);
    if (before == State.UNDER_WAY) {
      throw new StoreBusyException("this request is being stored; send it again later", 1);
    }
    return new Batch(key, before == State.TAKEN);
  }
}
