package vintrel.core.fit;

import java.util.LinkedHashSet;
import java.util.List;
import java.util.TreeSet;
import vintrel.core.panel.Need;
import vintrel.core.query.plan.LabelNames;
import vintrel.core.series.Labels;

/**
 * What is known of the result of a line.
 *
 * @param members the distinct labels: of series, of events, or of the texts in a table's rows
 * @param quantity what the numbers are
 * @param numbers the columns of numbers of a table; of series, {@code value} alone
 * @param timed whether a table has a column of times
 * @param named whether {@code label as} gave the series their names
 * @param rows of a table
 * @param sorted whether a step sorted the table by its numbers
 */
record Shape(
    Form form,
    List<Labels> members,
    Quantity quantity,
    List<String> numbers,
    boolean timed,
    boolean named,
    long rows,
    boolean sorted) {
  /** More series than this can't be told apart on a chart. */
  static final int CROWDED = 30;

  /** Rows that a ranking shows. */
  static final int RANKED = 15;

  static final String VALUE = "value";

  enum Form {
    SERIES,
    TABLE,
    EVENTS,
    BINS,
    CELLS
  }

  /** What numbers are, as far as it decides which steps make sense. */
  enum Quantity {
    /** Grows since the start of a process. */
    COUNTER,
    /** Counters of a histogram's buckets, by {@code le}. */
    BUCKETS,
    /** Their growth per time. */
    BUCKET_RATES,
    /** Their growth in each bucket of time. */
    BUCKET_COUNTS,
    /** Per time; adds up across series at one time. */
    RATE,
    /** So many in a bucket; adds up across series and over time. */
    COUNT,
    /** A percentage or a ratio; does not add up. */
    RATIO,
    /** A percentile; does not add up, and has no mean. */
    PERCENTILE,
    /** Events in a bucket, apart by all their labels. */
    EVENT_COUNT,
    GAUGE;

    boolean isRaw() {
      return this == COUNTER
          || this == BUCKETS
          || this == BUCKET_RATES
          || this == BUCKET_COUNTS
          || this == EVENT_COUNT;
    }
  }

  Shape {
    members = List.copyOf(members);
    numbers = List.copyOf(numbers);
  }

  static Shape series(List<Labels> members, Quantity quantity, boolean named) {
    return new Shape(
        Form.SERIES, members, quantity, List.of(VALUE), true, named, members.size(), false);
  }

  static Shape table(
      List<Labels> members, Quantity quantity, List<String> numbers, boolean timed, long rows) {
    return new Shape(Form.TABLE, members, quantity, numbers, timed, false, rows, false);
  }

  Shape as(Quantity other) {
    return new Shape(form, members, other, numbers, timed, named, rows, sorted);
  }

  /** All names of labels, in order. */
  List<String> labels() {
    var out = new TreeSet<String>();
    members.forEach(m -> out.addAll(m.names()));
    return List.copyOf(out);
  }

  /** The members that remain if only these labels count. */
  List<Labels> by(List<String> labels) {
    var out = new LinkedHashSet<Labels>();
    members.forEach(m -> out.add(m.keep(labels)));
    return List.copyOf(out);
  }

  /** Whether every member has another value of these labels. */
  boolean isToldApartBy(List<String> labels) {
    return by(labels).size() == members.size();
  }

  /**
   * The fewest labels that tell the members apart, a single one if there is one; with the bound of
   * histograms left out.
   */
  List<String> identity() {
    var all = labels().stream().filter(l -> !l.equals(LabelNames.BOUND)).toList();
    var single = all.stream().filter(l -> isToldApartBy(List.of(l))).findFirst();
    if (single.isPresent()) {
      return List.of(single.get());
    }
    var chosen = new java.util.ArrayList<>(all);
    int apart = by(all).size();
    for (var label : all) {
      var fewer = new java.util.ArrayList<>(chosen);
      fewer.remove(label);
      if (!fewer.isEmpty() && by(fewer).size() == apart) {
        chosen = fewer;
      }
    }
    return List.copyOf(chosen);
  }

  /** Labels with several values that put some members together. */
  List<String> coarser() {
    return labels().stream()
        .filter(l -> !l.equals(LabelNames.BOUND))
        .filter(l -> by(List.of(l)).size() > 1 && !isToldApartBy(List.of(l)))
        .toList();
  }

  /** Whether it is drawn well as it is. */
  boolean meets(Need need) {
    boolean series = form == Form.SERIES && !quantity.isRaw();
    return switch (need) {
      case NOTHING -> true;
      case SERIES -> series && members.size() <= CROWDED;
      case NUMBER -> series && members.size() == 1 || form == Form.TABLE && !timed && rows == 1;
      case NAMED_NUMBERS ->
          form == Form.TABLE && !timed && numbers.size() == 1 && !labels().isEmpty();
      case ROWS -> form == Form.EVENTS || form == Form.TABLE || series;
      case BINS -> form == Form.BINS;
      case CELLS -> form == Form.CELLS;
    };
  }

  /** Whether the series are told apart by numbers alone, for example codes of a status. */
  boolean isCoded() {
    var identity = identity();
    return !named
        && identity.size() == 1
        && members.size() > 1
        && members.stream()
            .map(m -> m.get(identity.getFirst()))
            .allMatch(v -> v != null && v.matches("-?\\d+(\\.\\d+)?"));
  }

  /** Whether a chain may end here: a ranking is sorted and short, and codes have a name. */
  boolean reaches(Need need) {
    return meets(need)
        && switch (need) {
          case NAMED_NUMBERS -> sorted && rows <= RANKED;
          case SERIES -> !isCoded();
          default -> true;
        };
  }
}
