package vintrel.core.panel;

import java.time.Instant;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.picture.Picture;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/** A number for each series, with its course and how much it changed. */
public record BigNumber(
    @Setting(value = "Statistic that is shown.", group = "Number") Statistic shows,
    @Setting(
            value = "Comparison: none, start of the range, or an earlier time.",
            group = "Number",
            words = "change delta trend")
        Against against,
    @Setting(
            value = "How far back the earlier time is.",
            group = "Number",
            duration = true,
            min = 60_000)
        long before,
    @Setting(value = "Shows a sparkline.", group = "Number", words = "sparkline") boolean course,
    @Setting(
            value = "Maximum number of series.",
            group = "Number",
            min = 1,
            max = 60,
            label = "at most")
        int most,
    @Setting(value = "Digits after the point; -1: as needed.", group = "Number", min = -1, max = 6)
        int decimals,
    @Setting(
            value = "Shows text instead of a number, for example 1: open.",
            group = "Number",
            most = 100)
        Map<String, String> texts,
    @Setting(value = "The text where there is no number.", group = "Number", label = "no value")
        String none)
    implements PanelKind {
  private static final DateTimeFormatter MINUTE = DateTimeFormatter.ofPattern("HH:mm", Locale.ROOT);
  private static final DateTimeFormatter DAY =
      DateTimeFormatter.ofPattern("d MMM HH:mm", Locale.ENGLISH);

  public static final BigNumber DEFAULT =
      new BigNumber(Statistic.LAST, Against.NOTHING, Durations.WEEK, true, 12, -1, Map.of(), "–");

  /** What a number is compared with. */
  public enum Against {
    NOTHING,
    START,
    EARLIER
  }

  public BigNumber {
    texts = Map.copyOf(texts);
  }

  @Override
  public String word() {
    return "number";
  }

  @Override
  public String title() {
    return "Number";
  }

  @Override
  public Question question() {
    return Question.AMOUNT;
  }

  @Override
  public Need need() {
    return Need.NUMBER;
  }

  @Override
  public long earlier() {
    return against == Against.EARLIER ? before : 0;
  }

  private record One(Frame frame, Column.Number column) {}

  @Override
  public Drawing draw(Asked asked) {
    var all = new ArrayList<One>();
    asked.frames().forEach(f -> f.numbers().forEach(n -> all.add(new One(f, n))));
    var tiles = new ArrayList<Drawing.Tile>();
    for (var one : all.subList(0, Math.min(most, all.size()))) {
      tiles.add(tile(one, all.size() > 1, asked));
    }
    var words = new ArrayList<String>();
    tiles.forEach(t -> words.add((t.name() + " " + t.value() + " " + t.unit()).strip()));
    int left = all.size() - tiles.size();
    return new Drawing.Tiles(
        word(),
        String.join(", ", words) + (left > 0 ? " and " + Counts.of(left, "other") : ""),
        List.copyOf(tiles));
  }

  private Drawing.Tile tile(One one, boolean several, Asked asked) {
    var n = one.column();
    double value = shows.of(n.values(), n.low(), n.high());
    var unit = asked.unitOf(n.unit());
    var text = texts.get(plain(value));
    var whole = Double.isNaN(value) ? none : text != null ? text : number(value, unit);
    boolean split = text == null && !Double.isNaN(value);
    int space = split ? whole.indexOf(' ') : -1;
    return new Drawing.Tile(
        several ? n.name() : "",
        space < 0 ? whole : whole.substring(0, space),
        space < 0 ? "" : whole.substring(space + 1),
        Double.isNaN(value) ? "" : Limit.worst(asked.limits(), value),
        Double.isNaN(value) ? "" : when(one, asked),
        change(one, value, unit, asked),
        course && one.frame().drawable() ? course(one, asked) : null);
  }

  /** The minute of the last value; of others, what they are of. */
  private String when(One one, Asked asked) {
    if (!one.frame().drawable()) {
      return "";
    }
    if (shows != Statistic.LAST) {
      return shows.word() + " of the range";
    }
    int i = one.column().values().length - 1;
    while (Double.isNaN(one.column().values()[i])) {
      i--;
    }
    var at = Instant.ofEpochMilli(one.frame().time().values()[i]).atZone(asked.zone());
    var end = Instant.ofEpochMilli(asked.to() - 1).atZone(asked.zone());
    return (at.toLocalDate().equals(end.toLocalDate()) ? MINUTE : DAY).format(at);
  }

  /** A number as people write the keys of texts. */
  private static String plain(double v) {
    return v == Math.rint(v) && Math.abs(v) < 1e15 ? String.valueOf((long) v) : String.valueOf(v);
  }

  private String number(double value, String unit) {
    var scale = Units.scale(Math.abs(value), 0, unit);
    return decimals < 0
        ? scale.format(value)
        : new Units.Scale(scale.divisor(), decimals, scale.suffix()).format(value);
  }

  private String change(One one, double value, String unit, Asked asked) {
    if (against == Against.NOTHING || Double.isNaN(value)) {
      return "";
    }
    double then = against == Against.START ? first(one.column().values()) : before(one, asked);
    var since = against == Against.START ? "at the start" : Durations.words(before) + " before";
    if (Double.isNaN(then)) {
      return "nothing " + since;
    }
    if (value == then) {
      return "as " + since;
    }
    var more = value > then ? "more than " : "less than ";
    // A share of nothing, or of what is a share itself, says nothing.
    boolean share = then == 0 || Math.signum(then) != Math.signum(value) || unit.startsWith("%");
    var by =
        share
            ? Units.format(Math.abs(value - then), unit)
            : percent(100 * Math.abs(value - then) / Math.abs(then));
    return by + " " + more + since;
  }

  /** Two digits are enough to compare. */
  private static String percent(double v) {
    int decimals = v >= 10 ? 0 : v >= 1 ? 1 : 2;
    return new Units.Scale(1, decimals, " %").format(v);
  }

  private static double first(double[] values) {
    for (double v : values) {
      if (!Double.isNaN(v)) {
        return v;
      }
    }
    return Double.NaN;
  }

  private double before(One one, Asked asked) {
    for (var frame : asked.earlier()) {
      for (var n : frame.numbers()) {
        boolean same =
            frame.name().equals(one.frame().name()) && n.labels().equals(one.column().labels());
        if (same && n.name().equals(one.column().name())) {
          return shows.of(n.values(), n.low(), n.high());
        }
      }
    }
    return Double.NaN;
  }

  private static Picture course(One one, Asked asked) {
    var time = one.frame().time();
    var frame = new Frame(one.frame().name(), List.of(time, one.column()));
    return Picture.of(
        List.of(frame),
        asked.from(),
        asked.to(),
        new Picture.Look(
            asked.zone(),
            asked.unit(),
            new double[0],
            asked.width(),
            asked.height(),
            asked.palette(),
            List.of(),
            0));
  }
}
