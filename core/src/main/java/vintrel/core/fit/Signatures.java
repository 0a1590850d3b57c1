package vintrel.core.fit;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import vintrel.core.fit.Shape.Form;
import vintrel.core.fit.Shape.Quantity;
import vintrel.core.panel.Need;
import vintrel.core.query.syntax.Grouping;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.SourceSpan;
import vintrel.core.query.syntax.Step;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;

/**
 * Which steps may follow a shape so that the result means something, and the shape after each. A
 * sum is only taken of what adds up, a mean of what has one.
 */
final class Signatures {
  /** Values of a label that are put together at most. */
  private static final int MAX_GROUPS = 1_000;

  /** Coarser labels that are tried. */
  private static final int MAX_COARSER = 4;

  private static final String LEVEL = "level";
  private static final int KEPT = 10;
  private static final int BINS = 20;
  private static final int CELLS_ACROSS = 24;
  private static final int CELLS_UP = 30;

  /** Widths of buckets in which events are counted, ms. */
  private static final long[] WIDTHS = {
    10 * Durations.SECOND,
    Durations.MINUTE,
    5 * Durations.MINUTE,
    10 * Durations.MINUTE,
    30 * Durations.MINUTE,
    Durations.HOUR,
    6 * Durations.HOUR,
    Durations.DAY,
    Durations.WEEK
  };

  private static final int BUCKETS_WANTED = 100;

  private final Need need;
  private final long range;

  /**
   * @param range ms
   */
  Signatures(Need need, long range) {
    this.need = need;
    this.range = range;
  }

  /**
   * A step with what it does.
   *
   * @param to the shape after it
   * @param hides what it costs beyond its length: the more it hides, the more
   * @param words what it does to the meaning; empty: nothing
   */
  record Move(Step step, Shape to, double hides, String words) {}

  List<Move> after(Shape shape) {
    return switch (shape.form()) {
      case SERIES -> ofSeries(shape);
      case TABLE -> ofTable(shape);
      case EVENTS -> ofEvents(shape);
      case BINS, CELLS -> List.of();
    };
  }

  // ---- series ----

  private List<Move> ofSeries(Shape s) {
    var out = new ArrayList<Move>();
    if (s.members().isEmpty()) {
      return out;
    }
    switch (s.quantity()) {
      case COUNTER -> {
        out.add(
            new Move(
                new Step.Rate(Durations.SECOND, 0, SourceSpan.NONE),
                s.as(Quantity.RATE),
                0,
                "rate per second"));
        out.add(
            new Move(
                new Step.Increase(0, SourceSpan.NONE),
                s.as(Quantity.COUNT),
                need == Need.NAMED_NUMBERS ? -0.3 : 0.3,
                "increase"));
      }
      case BUCKETS -> {
        out.add(
            new Move(
                new Step.Rate(Durations.SECOND, 0, SourceSpan.NONE),
                s.as(Quantity.BUCKET_RATES),
                0,
                ""));
        if (need == Need.BINS || need == Need.CELLS) {
          out.add(
              new Move(new Step.Increase(0, SourceSpan.NONE), s.as(Quantity.BUCKET_COUNTS), 0, ""));
        }
      }
      case BUCKET_RATES -> quantiles(s, out);
      case BUCKET_COUNTS -> {
        quantiles(s, out);
        distribution(s, out);
      }
      case EVENT_COUNT -> counts(s, out);
      default -> {
        across(s, out);
        reduced(s, out);
        names(s, out);
        distribution(s, out);
      }
    }
    return out;
  }

  private void quantiles(Shape s, List<Move> out) {
    var kept = s.identity();
    var groupings = new LinkedHashSet<List<String>>();
    groupings.add(kept);
    s.coarser().stream().limit(MAX_COARSER).forEach(l -> groupings.add(List.of(l)));
    groupings.add(List.of());
    double[] ranks = {0.95, 0.5, 0.99};
    for (var by : groupings) {
      for (int i = 0; i < ranks.length; i++) {
        var grouping =
            by.isEmpty()
                ? new Grouping(Grouping.Mode.BY, List.of())
                : new Grouping(Grouping.Mode.BY, by);
        if (by.isEmpty() && !kept.isEmpty()) {
          // Bare, it would keep all other labels.
          continue;
        }
        var members = by.isEmpty() ? List.of(Labels.NONE) : s.by(by);
        out.add(
            new Move(
                new Step.Quantile(
                    ranks[i], by.isEmpty() ? Grouping.ALL : grouping, SourceSpan.NONE),
                Shape.series(members, Quantity.PERCENTILE, false),
                lost(s.by(kept).size(), members.size()) + i * 0.2,
                "%.0fth percentile%s"
                    .formatted(ranks[i] * 100, words(by, members.size()))
                    .replace("50th percentile", "median")));
      }
    }
  }

  /** Counts of events by one of their labels, the level first. */
  private static void counts(Shape s, List<Move> out) {
    for (var label : s.labels()) {
      var members = s.by(List.of(label));
      if (members.size() > 1 || label.equals(LEVEL)) {
        out.add(
            new Move(
                new Step.Across(
                    Reducer.SUM, new Grouping(Grouping.Mode.BY, List.of(label)), SourceSpan.NONE),
                Shape.series(members, Quantity.COUNT, false),
                label.equals(LEVEL) ? 0 : 0.2 + 0.01 * members.size(),
                "by " + label));
      }
    }
    out.add(
        new Move(
            new Step.Across(Reducer.SUM, Grouping.ALL, SourceSpan.NONE),
            Shape.series(List.of(Labels.NONE), Quantity.COUNT, false),
            0.6,
            "all series combined"));
  }

  private static String words(List<String> by, int members) {
    return by.isEmpty() || members <= 1 ? "" : " by " + String.join(", ", by);
  }

  /** Reducers that make sense across series of a quantity, the usual one first. */
  private static List<Reducer> reducers(Quantity q) {
    return switch (q) {
      case RATE, COUNT -> List.of(Reducer.SUM, Reducer.MAX);
      case RATIO, GAUGE -> List.of(Reducer.MEAN, Reducer.MAX);
      default -> List.of(Reducer.MAX);
    };
  }

  private void across(Shape s, List<Move> out) {
    int before = s.members().size();
    if (before < 2) {
      return;
    }
    if (before > Shape.CROWDED && need == Need.SERIES) {
      out.add(
          new Move(
              new Step.Pick(true, KEPT, Reducer.MAX, SourceSpan.NONE),
              Shape.series(s.members().subList(0, KEPT), s.quantity(), s.named()),
              lost(before, KEPT),
              "top %d".formatted(KEPT)));
    }
    var groupings = new ArrayList<List<String>>();
    s.coarser().stream()
        .filter(l -> s.by(List.of(l)).size() <= MAX_GROUPS)
        .limit(MAX_COARSER)
        .forEach(l -> groupings.add(List.of(l)));
    if (need != Need.NAMED_NUMBERS) {
      groupings.add(List.of());
    }
    var usual = reducers(s.quantity());
    for (var by : groupings) {
      var members = by.isEmpty() ? List.of(Labels.NONE) : s.by(by);
      for (int i = 0; i < usual.size(); i++) {
        var grouping = by.isEmpty() ? Grouping.ALL : new Grouping(Grouping.Mode.BY, by);
        out.add(
            new Move(
                new Step.Across(usual.get(i), grouping, SourceSpan.NONE),
                Shape.series(members, s.quantity(), false),
                lost(before, members.size()) + i * 0.3,
                word(usual.get(i))
                    + (by.isEmpty() ? " of all " + before + " series" : words(by, 2))));
      }
    }
  }

  /** What is hidden by making fewer of many. */
  private static double lost(int before, int after) {
    return after >= before ? 0 : 0.3 + 0.1 * Math.log((double) before / Math.max(1, after));
  }

  private static String word(Reducer reducer) {
    return switch (reducer.kind()) {
      case SUM -> "sum";
      case MAX -> "highest value";
      case LAST -> "latest value";
      default -> reducer.text();
    };
  }

  /** The numbers over time to one for each name. */
  private void reduced(Shape s, List<Move> out) {
    if (need != Need.NAMED_NUMBERS && need != Need.NUMBER) {
      return;
    }
    var keys = new LinkedHashSet<List<String>>();
    if (!s.identity().isEmpty()) {
      keys.add(s.identity());
    }
    s.coarser().stream().limit(MAX_COARSER).forEach(l -> keys.add(List.of(l)));
    if (need == Need.NUMBER) {
      // One number of one series is its last; a table would only be a detour.
      return;
    }
    for (var by : keys) {
      for (var r : overTime(s.quantity(), s.isToldApartBy(by))) {
        out.add(grouped(s, by, r, Shape.VALUE));
      }
    }
  }

  private record OverTime(Reducer reducer, double hides) {}

  /**
   * Which reducers over time make sense.
   *
   * @param apart whether each name is one series
   */
  private static List<OverTime> overTime(Quantity q, boolean apart) {
    var out = new ArrayList<OverTime>();
    if (q == Quantity.COUNT) {
      out.add(new OverTime(Reducer.SUM, 0));
    } else if (apart) {
      out.add(new OverTime(Reducer.LAST, 0));
    }
    if (apart || q != Quantity.RATE && q != Quantity.COUNT) {
      out.add(new OverTime(Reducer.MAX, 0.1));
    }
    if (q != Quantity.PERCENTILE && q != Quantity.COUNT && (apart || q != Quantity.RATE)) {
      out.add(new OverTime(Reducer.MEAN, 0.2));
    }
    return out;
  }

  private static Move grouped(Shape s, List<String> by, OverTime r, String column) {
    var members = s.by(by);
    return new Move(
        new Step.GroupBy(by, List.of(new Step.Aggregate(r.reducer(), column)), SourceSpan.NONE),
        Shape.table(members, s.quantity(), List.of(column), false, members.size()),
        r.hides() + 0.05 * (by.size() - 1) + lost(s.members().size(), members.size()),
        (r.reducer().equals(Reducer.SUM) ? "total" : word(r.reducer()))
            + " of each "
            + String.join(", ", by));
  }

  /** Codes are no names: status 404 is. */
  private void names(Shape s, List<Move> out) {
    if (s.isCoded() && need == Need.SERIES) {
      var label = s.identity().getFirst();
      out.add(
          new Move(
              new Step.LabelAs(label + " {" + label + "}", SourceSpan.NONE),
              Shape.series(s.members(), s.quantity(), true),
              0,
              "named by " + label));
    }
  }

  private void distribution(Shape s, List<Move> out) {
    if (need == Need.BINS) {
      out.add(
          new Move(
              new Step.Bins(BINS, SourceSpan.NONE),
              other(Form.BINS),
              0,
              s.quantity() == Quantity.BUCKET_COUNTS
                  ? "histogram of the buckets"
                  : "histogram with %d bins".formatted(BINS)));
    }
    if (need == Need.CELLS) {
      out.add(
          new Move(
              new Step.Cells(CELLS_ACROSS, CELLS_UP, SourceSpan.NONE),
              other(Form.CELLS),
              0,
              s.quantity() == Quantity.BUCKET_COUNTS
                  ? "heatmap of the buckets with %d time spans".formatted(CELLS_ACROSS)
                  : "heatmap with %d time spans".formatted(CELLS_ACROSS)));
    }
  }

  private static Shape other(Form form) {
    return new Shape(form, List.of(), Quantity.COUNT, List.of(), false, false, 0, true);
  }

  // ---- tables ----

  private List<Move> ofTable(Shape s) {
    var out = new ArrayList<Move>();
    boolean columns = s.timed() && !s.numbers().isEmpty();
    if (columns && need != Need.NAMED_NUMBERS && need != Need.ROWS) {
      out.add(
          new Move(
              new Step.Columns(SourceSpan.NONE),
              Shape.series(s.members(), s.quantity(), false),
              0,
              s.members().size() > 1
                  ? "a series for each " + String.join(", ", s.labels())
                  : "a series over time"));
    }
    if (need == Need.NAMED_NUMBERS && !s.labels().isEmpty()) {
      ranked(s, out, Shape.RANKED);
    }
    if (need == Need.NUMBER && !s.timed() && s.numbers().size() == 1) {
      ranked(s, out, 1);
    }
    return out;
  }

  private void ranked(Shape s, List<Move> out, int most) {
    if (s.timed() || s.numbers().size() != 1) {
      if (s.numbers().isEmpty()) {
        return;
      }
      var column = s.numbers().getLast();
      var keys = new LinkedHashSet<List<String>>();
      keys.add(s.identity());
      s.coarser().stream().limit(MAX_COARSER).forEach(l -> keys.add(List.of(l)));
      keys.remove(List.<String>of());
      for (var by : keys) {
        for (var r : overTime(s.quantity(), s.isToldApartBy(by))) {
          out.add(grouped(s, by, r, column));
        }
      }
      return;
    }
    if (!s.sorted()) {
      out.add(
          new Move(
              new Step.Sort(s.numbers().getFirst(), true, SourceSpan.NONE),
              new Shape(
                  s.form(), s.members(), s.quantity(), s.numbers(), false, false, s.rows(), true),
              0,
              "largest first"));
    } else if (s.rows() > most) {
      var first = s.members().subList(0, Math.min(most, s.members().size()));
      out.add(
          new Move(
              new Step.Limit(most, SourceSpan.NONE),
              new Shape(s.form(), first, s.quantity(), s.numbers(), false, false, most, true),
              -0.9,
              most == 1 ? "the first row" : "the first " + most));
    }
  }

  // ---- events ----

  private List<Move> ofEvents(Shape s) {
    var out = new ArrayList<Move>();
    if (s.rows() == 0) {
      return out;
    }
    var labels = s.labels();
    if (need == Need.NAMED_NUMBERS) {
      for (var label : labels) {
        var members = s.by(List.of(label));
        if (members.size() > 1 || labels.size() == 1) {
          out.add(
              new Move(
                  new Step.GroupBy(
                      List.of(label),
                      List.of(new Step.Aggregate(new Reducer(Reducer.Kind.COUNT, 0), "text")),
                      SourceSpan.NONE),
                  Shape.table(members, Quantity.COUNT, List.of("text"), false, members.size()),
                  label.equals(LEVEL) ? 0 : 0.1,
                  "events by " + label));
        }
      }
      return out;
    }
    long width = width();
    out.add(
        new Move(
            new Step.Bucketing(new Reducer(Reducer.Kind.COUNT, 0), false, width, SourceSpan.NONE),
            Shape.series(s.members(), Quantity.EVENT_COUNT, false),
            0,
            "events per " + Durations.words(width)));
    return out;
  }

  private long width() {
    for (long w : WIDTHS) {
      if (range / w <= BUCKETS_WANTED) {
        return w;
      }
    }
    return WIDTHS[WIDTHS.length - 1];
  }
}
