package vintrel.server.ask;

import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.function.BooleanSupplier;
import java.util.function.Function;
import org.springframework.stereotype.Component;

/**
 * Running queries by page: a new query of a panel cancels its last one, and a page that goes away
 * ends all of its own. Any thread.
 */
@Component
public class ActiveQueries {
  private final Map<String, AtomicBoolean> stops = new ConcurrentHashMap<>();

  /**
   * Runs a question.
   *
   * @param key of the page and panel, or null if it is never cancelled
   */
  public <T> T run(String key, Function<BooleanSupplier, T> question) {
    if (key == null || key.length() > 200) {
      return question.apply(() -> false);
    }
    var stop = new AtomicBoolean();
    var last = stops.put(key, stop);
    if (last != null) {
      last.set(true);
    }
    try {
      return question.apply(stop::get);
    } finally {
      stops.remove(key, stop);
    }
  }

  /** Ends all questions of a page; returns how many there were. */
  int end(String page) {
    int ended = 0;
    for (var entry : stops.entrySet()) {
      if (entry.getKey().equals(page) || entry.getKey().startsWith(page + "/")) {
        entry.getValue().set(true);
        ended++;
      }
    }
    return ended;
  }
}
