package vintrel.server.store;

import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Collectors;
import org.hibernate.StatelessSession;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Service;
import vintrel.core.series.Admission;
import vintrel.server.database.Database;

/** What senders say that their metrics are; the newest word counts. Any thread. */
@Service
public class MetricNotes {
  private static final Logger log = LoggerFactory.getLogger(MetricNotes.class);
  private static final int MAX_TEXT = 1000;
  private static final int MAX_NAME = 1000;
  private static final int MAX = 100_000;

  private final Database database;
  private final Map<String, String> texts = new ConcurrentHashMap<>();

  MetricNotes(Database database) {
    this.database = database;
    database
        .with(s -> s.createSelectionQuery("from MetricNote", MetricNoteRow.class).getResultList())
        .forEach(r -> texts.put(r.metric, r.text));
  }

  /** Whether a description would be kept and is not known yet. */
  public boolean isNew(String metric, String text) {
    var known = texts.get(metric);
    boolean room = known != null || texts.size() < MAX && metric.length() <= MAX_NAME;
    return room
        && !text.isBlank()
        && !text.strip().equals(known)
        && text.length() <= MAX_TEXT
        && Admission.text(metric)
        && Admission.text(text);
  }

  /** Remembers descriptions by metric; if they can't be written now, the next ones are. */
  public synchronized void put(Map<String, String> notes) {
    try {
      database.run(s -> notes.forEach((metric, text) -> write(s, metric, text.strip())));
      notes.forEach((metric, text) -> texts.put(metric, text.strip()));
    } catch (RuntimeException e) {
      log.warn("could not store descriptions of metrics: {}", e.toString());
    }
  }

  private void write(StatelessSession session, String metric, String text) {
    var row = new MetricNoteRow();
    row.metric = metric;
    row.text = text;
    if (texts.containsKey(metric)) {
      session.update(row);
    } else {
      session.insert(row);
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
