package vintrel.core.series;

import java.util.concurrent.ConcurrentHashMap;

/**
 * One copy of each text that many series have in common: metrics, names and values of labels. Each
 * series that arrives brings copies of its own otherwise. Bounded: when it is full, further texts
 * stay as they came. Any thread.
 */
public final class SharedTexts {
  private static final int MAX_LENGTH = 200;

  private final int max;
  private final ConcurrentHashMap<String, String> known = new ConcurrentHashMap<>();

  /**
   * @param max texts that are kept
   */
  public SharedTexts(int max) {
    this.max = max;
  }

  /** An equal key made of the texts that are kept. */
  public SeriesKey of(SeriesKey key) {
    return new SeriesKey(of(key.store()), of(key.metric()), key.labels().map(this::of));
  }

  private String of(String text) {
    if (text.length() > MAX_LENGTH) {
      return text;
    }
    var kept = known.get(text);
    if (kept != null) {
      return kept;
    }
    if (known.size() >= max) {
      return text;
    }
    kept = known.putIfAbsent(text, text);
    return kept == null ? text : kept;
  }
}
