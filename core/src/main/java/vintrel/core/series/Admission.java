package vintrel.core.series;

/**
 * What the name, labels and unit of a series may be, so that every store can keep them: checked
 * where samples enter, before anything is queued. Known series need no check. Any thread.
 */
public final class Admission {
  /** Characters of a metric's name. */
  public static final int MAX_METRIC = 500;

  /** Characters of all labels together as a JSON object. */
  public static final int MAX_LABELS = 16_000;

  /** Characters of an event's text. */
  public static final int MAX_EVENT_TEXT = 100_000;

  /** Characters of an event's fields as a JSON object. */
  public static final int MAX_EVENT_FIELDS = 200_000;

  /** Characters of a unit. */
  public static final int MAX_UNIT = 100;

  /** Characters that a reason quotes of what it is about. */
  private static final int QUOTED = 40;

  /** What JSON writes for a control character, as {@code \}{@code u0001}. */
  private static final int ESCAPED = 6;

  private Admission() {}

  /** Why a series can't be kept, in words with the limit, or null if it can. */
  public static String fault(String metric, Labels labels, String unit) {
    if (metric.isBlank()) {
      return "a metric without a name";
    }
    if (metric.length() > MAX_METRIC) {
      return "the metric name '%s' has %,d characters; the limit is %,d"
          .formatted(cut(metric), metric.length(), MAX_METRIC);
    }
    if (unit.length() > MAX_UNIT) {
      return "the unit '%s' has %,d characters; the limit is %,d"
          .formatted(cut(unit), unit.length(), MAX_UNIT);
    }
    if (size(labels) > MAX_LABELS) {
      return "the labels of '%s' have more than %,d characters together"
          .formatted(cut(metric), MAX_LABELS);
    }
    boolean text = text(metric) && text(unit);
    for (int i = 0; i < labels.size() && text; i++) {
      text = text(labels.name(i)) && text(labels.value(i));
    }
    return text
        ? null
        : "the series '%s' has a NUL or half a character in its name, labels or unit"
            .formatted(cut(metric));
  }

  /** Why an event can't be stored, in words, or null if it can. */
  public static String fault(Event event) {
    boolean large =
        event.text().length() > MAX_EVENT_TEXT
            || event.fields().length() > MAX_EVENT_FIELDS
            || size(event.labels()) > MAX_LABELS;
    if (large) {
      return "log record too large (text, fields or labels)";
    }
    boolean text = text(event.text()) && text(event.fields()) && text(event.level());
    for (int i = 0; i < event.labels().size() && text; i++) {
      text = text(event.labels().name(i)) && text(event.labels().value(i));
    }
    return text ? null : "a log record has a NUL or half a character";
  }

  private static long size(Labels labels) {
    long size = 2;
    for (int i = 0; i < labels.size(); i++) {
      size += written(labels.name(i)) + written(labels.value(i)) + 6;
    }
    return size;
  }

  /** Whether a text holds only whole characters and no NUL: what every database can keep. */
  public static boolean text(String s) {
    for (int i = 0; i < s.length(); i++) {
      char c = s.charAt(i);
      if (c == 0 || Character.isLowSurrogate(c)) {
        return false;
      }
      if (Character.isHighSurrogate(c)
          && (++i == s.length() || !Character.isLowSurrogate(s.charAt(i)))) {
        return false;
      }
    }
    return true;
  }

  /** A text in which what {@link #text} refuses is replaced by U+FFFD. */
  public static String whole(String s) {
    if (text(s)) {
      return s;
    }
    var out = new StringBuilder(s.length());
    for (int i = 0; i < s.length(); i++) {
      char c = s.charAt(i);
      boolean pair =
          Character.isHighSurrogate(c)
              && i + 1 < s.length()
              && Character.isLowSurrogate(s.charAt(i + 1));
      if (pair) {
        out.append(c).append(s.charAt(++i));
      } else {
        out.append(c == 0 || Character.isSurrogate(c) ? '\uFFFD' : c);
      }
    }
    return out.toString();
  }

  private static int written(String s) {
    int n = s.length();
    for (int i = 0; i < s.length(); i++) {
      char c = s.charAt(i);
      n += c < ' ' ? ESCAPED - 1 : c == '"' || c == '\\' ? 1 : 0;
    }
    return n;
  }

  private static String cut(String s) {
    var shown = s.length() > QUOTED ? s.substring(0, QUOTED) + "…" : s;
    return whole(shown).replaceAll("\\p{Cntrl}", "\uFFFD");
  }
}
