package vintrel.core.series;

import java.util.List;
import java.util.Locale;

/**
 * A log record.
 *
 * @param id given by the store, rising; 0 before
 * @param time ms since the epoch
 * @param level one of {@link #LEVELS}, or empty if the sender gave none
 * @param labels of the sender: host, service, …
 * @param fields its structured fields as a JSON object, or empty
 */
public record Event(
    long id, String store, long time, String level, String text, Labels labels, String fields) {
  /** From harmless to fatal, as OpenTelemetry orders severities. */
  public static final List<String> LEVELS =
      List.of("trace", "debug", "info", "warn", "error", "fatal");

  /** The level of an OpenTelemetry severity number (1 to 24, four to a level), else of a text. */
  public static String level(int number, String text) {
    if (number >= 1 && number <= 24) {
      return LEVELS.get((number - 1) / 4);
    }
    var word = text.strip().toLowerCase(Locale.ROOT);
    if (word.equals("warning")) {
      return "warn";
    }
    return LEVELS.contains(word)
        ? word
        : LEVELS.stream().filter(word::startsWith).findFirst().orElse("");
  }

  public Event with(Labels newLabels) {
    return new Event(id, store, time, level, text, newLabels, fields);
  }

  public Event in(String newStore) {
    return new Event(id, newStore, time, level, text, labels, fields);
  }
}
