package vintrel.server.store;

import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Collectors;
import org.springframework.stereotype.Service;
import vintrel.server.keep.Database;

/** What senders say that their metrics are; the newest word counts. Any thread. */
@Service
public class MetricNotes {
  private static final int MOST_TEXT = 1000;
  private static final int MOST_NAME = 1000;
  private static final int MOST = 100_000;

  private final Database database;
  private final Map<String, String> texts = new ConcurrentHashMap<>();

  MetricNotes(Database database) {
    this.database = database;
    database
        .with(s -> s.createSelectionQuery("from MetricNote", MetricNoteRow.class).getResultList())
        .forEach(r -> texts.put(r.metric, r.text));
  }

  /** Remembers a description; one that is known already costs a look. */
  public void put(String metric, String text) {
    var clean = text.strip();
    var known = texts.get(metric);
    boolean room = known != null || texts.size() < MOST && metric.length() <= MOST_NAME;
    if (clean.isEmpty() || clean.equals(known) || clean.length() > MOST_TEXT || !room) {
      return;
    }
    synchronized (this) {
      boolean fresh = texts.put(metric, clean) == null;
      var row = new MetricNoteRow();
      row.metric = metric;
      row.text = clean;
      database.run(
          s -> {
            if (fresh) {
              s.insert(row);
            } else {
              s.update(row);
            }
          });
    }
  }

  /** What a metric is, or nothing. */
  public String of(String metric) {
    return texts.getOrDefault(metric, "");
  }

  /** Metrics whose description holds a word in lower case. */
  public Set<String> holding(String word) {
    return texts.entrySet().stream()
        .filter(e -> e.getValue().toLowerCase(Locale.ROOT).contains(word))
        .map(Map.Entry::getKey)
        .collect(Collectors.toSet());
  }
}
