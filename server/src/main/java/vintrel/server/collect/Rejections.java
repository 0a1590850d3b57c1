package vintrel.server.collect;

import java.time.Clock;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Component;
import vintrel.core.unit.Durations;

/**
 * Requests that were rejected before anything was read of them: no token, an unknown or expired
 * one, or one from a foreign network. They belong to no source, so they are counted here, by token,
 * address and reason; a few hundred at most, in memory, for a day. Any thread.
 */
@Component
class Rejections {
  private static final int MAX_ROWS = 300;
  private static final long SHOWN_MS = Durations.DAY;

  private final Clock clock;
  private final Map<Key, Count> counts = new LinkedHashMap<>(16, 0.75f, true);

  Rejections(Clock clock) {
    this.clock = clock;
  }

  private record Key(String token, String address, String reason) {}

  private record Count(long n, long last) {}

  /**
   * Rejected requests for one reason.
   *
   * @param token its name; empty if the request had none that is known
   * @param count in words
   * @param age of the latest, in words
   */
  public record Row(String token, String address, String reason, String count, String age) {}

  void note(String token, String address, String reason, long at) {
    synchronized (counts) {
      counts.merge(
          new Key(token, address, reason),
          new Count(1, at),
          (was, now) -> new Count(was.n() + 1, Math.max(was.last(), now.last())));
      if (counts.size() > MAX_ROWS) {
        counts.remove(counts.keySet().iterator().next());
      }
    }
  }

  /** The rejected requests of the last day since the start, latest first. */
  List<Row> rows() {
    long now = clock.millis();
    synchronized (counts) {
      counts.values().removeIf(c -> now - c.last() > SHOWN_MS);
      return counts.entrySet().stream()
          .sorted((a, b) -> Long.compare(b.getValue().last(), a.getValue().last()))
          .map(
              e ->
                  new Row(
                      e.getKey().token(),
                      e.getKey().address(),
                      e.getKey().reason(),
                      "%,d".formatted(e.getValue().n()),
                      Arrivals.age(now - e.getValue().last())))
          .toList();
    }
  }
}
