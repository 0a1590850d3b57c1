package vintrel.core.wire;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.regex.Pattern;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.unit.Units;

/**
 * An OpenMetrics text page (RFC draft "OpenMetrics", version 1.0). A line that can't be read is
 * refused with its number; the rest is taken. A page without its closing {@code # EOF} was cut off:
 * what came is taken and the fault is told. The totals of a family go on together at its end, so
 * that their {@code _created} samples are known, wherever they stand.
 */
public final class OpenMetricsText {
  private static final String CREATED = "_created";
  private static final Pattern SUFFIX = Pattern.compile("_(total|bucket|count|sum|created)$");

  /** Of a family longer than this no creation times are waited for. */
  private static final int MOST_WAITING = 50_000;

  private final Intake intake;
  private final Labels extra;
  private final long now;

  private final Map<String, MetricKind> kinds = new HashMap<>();
  private final Map<String, String> units = new HashMap<>();
  private boolean closed;

  private int number;

  /**
   * Of the family that is being read: its totals, and since when those of a set of labels count.
   */
  private final List<Waiting> waiting = new ArrayList<>();

  private final Map<Labels, Long> starts = new HashMap<>();
  private String held = "";

  private record Waiting(int series, Labels labels, long time, double value) {}

  /** Reads lines one by one; see {@link #read} for the parameters. */
  public OpenMetricsText(Labels extra, long now, Intake intake) {
    this.extra = extra;
    this.now = now;
    this.intake = intake;
  }

  /**
   * Reads a page.
   *
   * @param extra labels that every series gets, such as job and instance; they win over the page's
   * @param now the time of samples that carry none, ms
   */
  public static void read(String page, Labels extra, long now, Intake intake) {
    var reader = new OpenMetricsText(extra, now, intake);
    int start = 0;
    while (start < page.length()) {
      int end = page.indexOf('\n', start);
      reader.take(page.substring(start, end < 0 ? page.length() : end));
      start = end < 0 ? page.length() : end + 1;
    }
    reader.end();
  }

  /** The next line, without its end. */
  public void take(String line) {
    number++;
    try {
      line(line.strip());
    } catch (WireException e) {
      intake.refuse(1, "line " + number + ": " + e.getMessage());
    }
  }

  /** There are no more lines. */
  public void end() {
    release();
    if (!closed) {
      intake.refuse(0, "the page does not end with # EOF; it may be cut off");
    }
  }

  private void line(String line) {
    if (line.isEmpty()) {
      return;
    }
    if (line.startsWith("#")) {
      comment(line);
      return;
    }
    var in = new Cursor(line);
    // A name that is not only letters stands in quotes, first inside the braces.
    boolean bare = !in.ahead('{');
    String name = bare ? in.name() : "";
    var labels = new TreeMap<String, String>();
    if (in.take('{')) {
      if (!bare) {
        name = in.quoted();
        in.take(',');
      }
      while (!in.take('}')) {
        String label = in.name();
        in.expect('=');
        labels.put(label, in.quoted());
        if (!in.take(',')) {
          in.expect('}');
          break;
        }
      }
    }
    double value = number(in.word());
    var stamp = in.word();
    long time = stamp.isEmpty() || stamp.startsWith("#") ? now : Math.round(number(stamp) * 1000);
    labels.putAll(extra.asMap());
    var family = family(name);
    if (!family.equals(held) || waiting.size() == MOST_WAITING) {
      release();
      held = family;
    }
    var own = Labels.of(labels);
    var kind = kind(name);
    int id = intake.series(new SeriesKey(name, own), kind, unit(name));
    if (kind.cumulative()) {
      waiting.add(new Waiting(id, own.drop(List.of("le")), time, value));
    } else {
      intake.sample(id, time, value);
    }
    if (name.endsWith(CREATED) && cumulative(family)) {
      starts.put(own, Math.round(value * 1000));
    }
  }

  private boolean cumulative(String family) {
    var kind = kinds.get(family);
    return kind != null && kind.cumulative();
  }

  private static String family(String name) {
    return SUFFIX.matcher(name).replaceFirst("");
  }

  /** The totals of a family go on when it is known since when they count. */
  private void release() {
    for (var w : waiting) {
      var start = starts.get(w.labels());
      if (start != null && start > 0) {
        intake.began(w.series(), start, w.time());
      }
      intake.sample(w.series(), w.time(), w.value());
    }
    waiting.clear();
    starts.clear();
  }

  private void comment(String line) {
    var parts = line.split(" ", 4);
    if (line.equals("# EOF")) {
      closed = true;
    } else if (parts.length == 4 && parts[1].equals("HELP")) {
      var text = parts[3].replace("\\n", "\n").replace("\\\"", "\"").replace("\\\\", "\\");
      // A counter's samples are named after its family.
      intake.describe(bare(parts[2]), text);
      intake.describe(bare(parts[2]) + "_total", text);
    } else if (parts.length == 4 && parts[1].equals("UNIT")) {
      units.put(bare(parts[2]), parts[3].strip());
    } else if (parts.length == 4 && parts[1].equals("TYPE")) {
      kinds.put(
          bare(parts[2]),
          switch (parts[3].strip()) {
            case "counter" -> MetricKind.COUNTER;
            case "histogram", "gaugehistogram" -> MetricKind.HISTOGRAM;
            case "stateset", "info" -> MetricKind.STATE;
            default -> MetricKind.GAUGE;
          });
    }
  }

  private static String bare(String name) {
    return name.length() > 1 && name.startsWith("\"") ? name.substring(1, name.length() - 1) : name;
  }

  private MetricKind kind(String name) {
    var kind = kinds.get(name);
    if (kind != null) {
      return kind;
    }
    for (var suffix : new String[] {"_total", "_bucket", "_count", "_sum", "_info"}) {
      if (name.endsWith(suffix)) {
        kind = kinds.get(name.substring(0, name.length() - suffix.length()));
        if (kind != null) {
          return kind;
        }
      }
    }
    return MetricKind.GAUGE;
  }

  /** The family's unit as a UCUM code; OpenMetrics writes units as words. */
  private String unit(String name) {
    String family = name.replaceFirst("_(total|sum)$", "");
    return switch (units.getOrDefault(family, "")) {
      case "seconds" -> "s";
      case "bytes" -> "By";
      case "celsius" -> "Cel";
      case "ratio" -> "1";
      case "percent" -> "%";
      case "meters" -> "m";
      case "volts" -> "V";
      case "amperes" -> "A";
      case "joules" -> "J";
      case "grams" -> "g";
      case String other -> other.isEmpty() || Units.known(other) ? other : "{" + other + "}";
    };
  }

  private static double number(String word) {
    switch (word) {
      case "+Inf", "Inf" -> {
        return Double.POSITIVE_INFINITY;
      }
      case "-Inf" -> {
        return Double.NEGATIVE_INFINITY;
      }
      default -> {
        try {
          return Double.parseDouble(word);
        } catch (NumberFormatException e) {
          throw new WireException("'" + word + "' is not a number");
        }
      }
    }
  }

  /** A place within one line. */
  private static final class Cursor {
    private final String s;
    private int at;

    Cursor(String s) {
      this.s = s;
    }

    String name() {
      spaces();
      int start = at;
      while (at < s.length()
          && (Character.isLetterOrDigit(s.charAt(at)) || "_:.".indexOf(s.charAt(at)) >= 0)) {
        at++;
      }
      if (at == start) {
        throw new WireException("a name is missing at character " + (at + 1));
      }
      return s.substring(start, at);
    }

    boolean ahead(char c) {
      spaces();
      return at < s.length() && s.charAt(at) == c;
    }

    boolean take(char c) {
      spaces();
      if (at < s.length() && s.charAt(at) == c) {
        at++;
        return true;
      }
      return false;
    }

    void expect(char c) {
      if (!take(c)) {
        throw new WireException("'" + c + "' is missing at character " + (at + 1));
      }
    }

    String quoted() {
      expect('"');
      var out = new StringBuilder();
      while (at < s.length() && s.charAt(at) != '"') {
        char c = s.charAt(at++);
        if (c == '\\' && at < s.length()) {
          char e = s.charAt(at++);
          out.append(e == 'n' ? '\n' : e);
        } else {
          out.append(c);
        }
      }
      if (at++ >= s.length()) {
        throw new WireException("a quote is never closed");
      }
      return out.toString();
    }

    String word() {
      spaces();
      int start = at;
      while (at < s.length() && s.charAt(at) != ' ' && s.charAt(at) != '\t') {
        at++;
      }
      return s.substring(start, at);
    }

    private void spaces() {
      while (at < s.length() && (s.charAt(at) == ' ' || s.charAt(at) == '\t')) {
        at++;
      }
    }
  }
}
