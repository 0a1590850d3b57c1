package vintrel.core.wire;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.regex.Pattern;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Units;

/**
 * An OpenMetrics text page (RFC draft "OpenMetrics", version 1.0, with quoted names as in its
 * successor). A line that can't be read is refused, the first three with their numbers; the rest is
 * taken. A page without its closing {@code # EOF} was cut off: what came is taken and the fault is
 * told. The totals of a family go on together at its end, so that their {@code _created} samples
 * are known, wherever they are.
 *
 * <p>A label of the page that the reader gives every series too, with another value, goes on behind
 * {@code page.}.
 */
public final class OpenMetricsText {
  private static final String CREATED = "_created";
  private static final Pattern SUFFIX = Pattern.compile("_(total|bucket|count|sum|created)$");

  /** Of a family longer than this no creation times are waited for. */
  private static final int MAX_WAITING = 50_000;

  private final SampleSink intake;
  private final Labels extra;
  private final long now;

  /** Errors of a page that are reported one by one. */
  private static final int TOLD = 3;

  private static final Pattern NUMBER =
      Pattern.compile("[+-]?(\\d+(\\.\\d*)?|\\.\\d+)([eE][+-]?\\d+)?");

  private final Map<String, String> types = new HashMap<>();
  private final Map<String, String> units = new HashMap<>();

  /** By family; a metric is described when its first sample comes. */
  private final Map<String, String> helps = new HashMap<>();

  private final Set<String> described = new HashSet<>();
  private boolean closed;

  private int number;
  private int faults;

  /**
   * Of the family that is being read: its totals, and since when those of a set of labels count.
   */
  private final List<Waiting> waiting = new ArrayList<>();

  private final Map<Labels, Long> starts = new HashMap<>();
  private String held = "";

  private record Waiting(int series, Labels labels, long time, double value) {}

  /** Reads lines one by one; see {@link #read} for the parameters. */
  public OpenMetricsText(Labels extra, long now, SampleSink intake) {
    this.extra = extra;
    this.now = now;
    this.intake = intake;
  }

  /**
   * Reads a page.
   *
   * @param extra labels that every series gets, such as job and instance
   * @param now the time of samples that carry none, ms
   * @return whether the page was complete
   */
  public static boolean read(String page, Labels extra, long now, SampleSink intake) {
    var reader = new OpenMetricsText(extra, now, intake);
    int start = 0;
    while (start < page.length()) {
      int end = page.indexOf('\n', start);
      reader.take(page.substring(start, end < 0 ? page.length() : end));
      start = end < 0 ? page.length() : end + 1;
    }
    reader.end();
    return reader.closed;
  }

  /** The next line, without its end. */
  public void take(String line) {
    number++;
    try {
      line(line.strip());
    } catch (WireException e) {
      if (++faults <= TOLD) {
        intake.refuse(1, "line " + number + ": " + e.getMessage());
      }
    }
  }

  /** There are no more lines. */
  public void end() {
    release();
    if (faults > TOLD) {
      int more = faults - TOLD;
      intake.refuse(more, Counts.of(more, "more line") + " with a fault");
    }
    if (!closed) {
      intake.refuse(0, "# EOF is missing at the end; the response may be truncated");
    }
  }

  private void line(String line) {
    if (line.isEmpty()) {
      return;
    }
    if (closed) {
      throw new WireException("text after # EOF");
    }
    if (line.startsWith("#")) {
      comment(line);
      return;
    }
    var in = new Cursor(line);
    // A name that is not only letters is quoted, first inside the braces.
    boolean bare = !in.ahead('{');
    String name = bare ? in.name() : "";
    var labels = new TreeMap<String, String>();
    if (in.take('{')) {
      if (!bare) {
        name = in.quoted();
        in.take(',');
      }
      labels(in, labels);
    }
    double value = number(in.word());
    long time = now;
    if (!in.atEnd() && !in.ahead('#')) {
      time = Math.round(number(in.word()) * 1000);
    }
    var exemplar = in.ahead('#') ? in.rest() : "";
    if (!exemplar.isEmpty()) {
      // Taken below, with the labels of the page.
    } else if (!in.atEnd()) {
      throw new WireException("'" + in.rest() + "' after the time stamp");
    }
    extra
        .asMap()
        .forEach(
            (k, v) -> {
              var own = labels.put(k, v);
              if (own != null && !own.equals(v)) {
                labels.put("page." + k, own);
              }
            });
    var family = family(name);
    if (!family.equals(held) || waiting.size() == MAX_WAITING) {
      release();
      held = family;
    }
    var help = helps.getOrDefault(name, helps.get(family));
    if (help != null && described.add(name)) {
      intake.describe(name, help);
    }
    var own = Labels.of(labels);
    if (!exemplar.isEmpty()) {
      exemplar(exemplar, name, own, time);
    }
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

  /**
   * {@code # {trace_id="…"} 0.5 1520879607.789}: the time may be left out.
   *
   * @param otherwise the time then, ms
   */
  private void exemplar(String text, String name, Labels labels, long otherwise) {
    var in = new Cursor(text.strip().substring(1).strip());
    var own = new TreeMap<String, String>();
    in.expect('{');
    labels(in, own);
    double value = number(in.word());
    long time = in.atEnd() ? otherwise : Math.round(number(in.word()) * 1000);
    var trace = own.getOrDefault("trace_id", own.getOrDefault("traceID", ""));
    intake.take(Exemplar.of(name, labels, time, value, trace, own.getOrDefault("span_id", "")));
  }

  private static void labels(Cursor in, TreeMap<String, String> into) {
    while (!in.take('}')) {
      String label = in.ahead('"') ? in.quoted() : in.name();
      in.expect('=');
      if (into.put(label, in.quoted()) != null) {
        throw new WireException("the label '" + label + "' appears twice");
      }
      if (!in.take(',')) {
        in.expect('}');
        break;
      }
    }
  }

  private boolean cumulative(String family) {
    var type = types.getOrDefault(family, "");
    return type.equals("counter") || type.equals("histogram") || type.equals("summary");
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
    if (line.equals("# EOF")) {
      closed = true;
      return;
    }
    var in = new Cursor(line.substring(1));
    var word = in.word();
    if (!word.equals("HELP") && !word.equals("UNIT") && !word.equals("TYPE")) {
      return;
    }
    var name = in.ahead('"') ? in.quoted() : in.name();
    var text = in.rest();
    switch (word) {
      case "HELP" -> helps.put(name, unescaped(text));
      case "UNIT" -> units.put(name, text.strip());
      default -> {
        if (types.putIfAbsent(name, text.strip()) != null) {
          throw new WireException("a second TYPE for '" + name + "'");
        }
      }
    }
  }

  private static String unescaped(String text) {
    var out = new StringBuilder();
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      if (c == '\\' && i + 1 < text.length()) {
        char e = text.charAt(++i);
        out.append(e == 'n' ? '\n' : e);
      } else {
        out.append(c);
      }
    }
    return out.toString();
  }

  private MetricKind kind(String name) {
    var own = types.get(name);
    if (own != null) {
      return kind(own, "");
    }
    var suffix = SUFFIXES.matcher(name);
    if (suffix.find()) {
      var type = types.get(name.substring(0, suffix.start()));
      if (type != null) {
        return kind(type, suffix.group());
      }
    }
    return MetricKind.GAUGE;
  }

  private static final Pattern SUFFIXES = Pattern.compile("_(total|bucket|count|sum|info)$");

  private static MetricKind kind(String type, String suffix) {
    return switch (type) {
      case "counter" -> MetricKind.COUNTER;
      case "histogram" -> MetricKind.HISTOGRAM;
      // Its count and sum are totals; its quantiles are readings.
      case "summary" -> suffix.isEmpty() ? MetricKind.GAUGE : MetricKind.COUNTER;
      case "stateset", "info" -> MetricKind.STATE;
      default -> MetricKind.GAUGE;
    };
  }

  /** The family's unit as a UCUM code; OpenMetrics writes units as words. */
  private String unit(String name) {
    if (name.endsWith("_count") || name.endsWith("_bucket")) {
      return "";
    }
    return Units.canonical(units.get(name.replaceFirst("_(total|sum)$", "")));
  }

  private static double number(String word) {
    switch (word.toLowerCase(Locale.ROOT)) {
      case "+inf", "inf", "+infinity", "infinity" -> {
        return Double.POSITIVE_INFINITY;
      }
      case "-inf", "-infinity" -> {
        return Double.NEGATIVE_INFINITY;
      }
      case "nan" -> {
        return Double.NaN;
      }
      default -> {
        if (!NUMBER.matcher(word).matches()) {
          throw new WireException("'" + word + "' is not a number");
        }
        return Double.parseDouble(word);
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
        throw new WireException("expected a name at character " + (at + 1));
      }
      if (Character.isDigit(s.charAt(start))) {
        throw new WireException(
            "'" + s.substring(start, at) + "' starts with a digit; put the name in quotes");
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
        throw new WireException("expected '" + c + "' at character " + (at + 1));
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

    boolean atEnd() {
      spaces();
      return at >= s.length();
    }

    /** What is left, without the spaces before it. */
    String rest() {
      spaces();
      return s.substring(at);
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
