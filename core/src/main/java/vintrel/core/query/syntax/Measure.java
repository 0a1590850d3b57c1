package vintrel.core.query.syntax;

import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;

/**
 * What a line measures, apart from what only smooths over time, names, picks series or leaves
 * values out. The values of two lines with the same form can be held against the same limit, as far
 * as they are of the same series: {@link #shownBy} finds those. Where it can't tell, it says no. A
 * value; any thread.
 *
 * @param form the same for lines that compute the same, as text
 * @param wheres for each source in the form the parts of its condition, all of which must hold
 * @param merges whether several series go into one, so that a value of some of them is another
 */
public record Measure(String form, List<Set<Condition>> wheres, boolean merges) {
  /** Longer forms are not looked at; lines that use lines can grow without bound. */
  private static final int MOST = 4_000;

  /** Pairs of series that are held against each other at most. */
  private static final long MOST_PAIRS = 200_000;

  /**
   * That of a line with its controls bound; null if it gives no series of metrics, or is too long.
   *
   * @param line its name; empty: the only line that is shown
   */
  public static Measure of(Query query, String line) {
    var shown = query.lines().stream().filter(l -> !l.hidden()).toList();
    var found = line.isEmpty() && shown.size() == 1 ? shown.getFirst() : query.line(line);
    if (found == null) {
      return null;
    }
    var writer = new Writer(query);
    return writer.write(found.expr(), 0) && !writer.wheres.isEmpty()
        ? new Measure(writer.form.toString(), List.copyOf(writer.wheres), writer.merges)
        : null;
  }

  /**
   * Those of the series under this measure that another line shows, under their own labels or as
   * part of one that has fewer.
   *
   * @param mine labels of the series of this measure
   * @param other what the other line measures
   * @param shown labels of the series that it gave
   */
  public Set<Labels> shownBy(Collection<Labels> mine, Measure other, Collection<Labels> shown) {
    if (!form.equals(other.form) || wheres.size() != other.wheres.size()) {
      return Set.of();
    }
    var ownParts = only(this, other);
    var otherParts = only(other, this);
    var theirs = shown.stream().filter(s -> agrees(s, ownParts)).toList();
    if (theirs.isEmpty() || (long) mine.size() * theirs.size() > MOST_PAIRS) {
      return Set.of();
    }
    var pairs = new HashMap<Labels, Labels>();
    var out = new LinkedHashSet<Labels>();
    for (var m : mine) {
      if (!agrees(m, otherParts)) {
        continue;
      }
      for (var s : theirs) {
        if (!areOfOne(m, s) || !covers(m, s, other)) {
          continue;
        }
        // A sum is another one if the series that went into it are only some of these.
        if (merges && (!out.add(m) || pairs.put(s, m) != null)) {
          return Set.of();
        }
        out.add(m);
      }
    }
    return out;
  }

  /** Whether each label that only one of the two conditions names is one of the series. */
  private boolean covers(Labels mine, Labels shown, Measure other) {
    for (var c : only(other, this)) {
      var labels = labels(c);
      boolean known = has(mine, labels) || !merges && has(shown, labels);
      if (!known) {
        return false;
      }
    }
    for (var c : only(this, other)) {
      var labels = labels(c);
      boolean known = has(shown, labels) || !merges && has(mine, labels);
      if (!known) {
        return false;
      }
    }
    return true;
  }

  /** The conditions of the first that the second does not have. */
  private static Set<Condition> only(Measure a, Measure b) {
    var out = new LinkedHashSet<Condition>();
    for (int i = 0; i < a.wheres.size(); i++) {
      for (var c : a.wheres.get(i)) {
        if (!b.wheres.get(i).contains(c)) {
          out.add(c);
        }
      }
    }
    return out;
  }

  /** Whether the labels of a series contradict no condition, as far as it has them. */
  private static boolean agrees(Labels series, Set<Condition> conditions) {
    return conditions.stream().allMatch(c -> !has(series, labels(c)) || c.test(series));
  }

  private static boolean has(Labels series, Set<String> labels) {
    return labels.stream().allMatch(l -> series.get(l) != null);
  }

  private static Set<String> labels(Condition condition) {
    var out = new HashSet<String>();
    collect(condition, out);
    return out;
  }

  private static void collect(Condition condition, Set<String> into) {
    switch (condition) {
      case Condition.Test t -> into.add(t.label());
      case Condition.Not n -> collect(n.part(), into);
      case Condition.And a -> a.parts().forEach(p -> collect(p, into));
      case Condition.Or o -> o.parts().forEach(p -> collect(p, into));
    }
  }

  /** Whether labels that both have are alike, and both have some, or one has none. */
  private static boolean areOfOne(Labels a, Labels b) {
    Map<String, String> one = a.asMap();
    Map<String, String> two = b.asMap();
    boolean some = one.isEmpty() || two.isEmpty();
    for (var e : one.entrySet()) {
      var value = two.get(e.getKey());
      if (value != null && !value.equals(e.getValue())) {
        return false;
      }
      some |= value != null;
    }
    return some;
  }

  private static final class Writer {
    private final Query query;
    private final StringBuilder form = new StringBuilder();
    private final List<Set<Condition>> wheres = new ArrayList<>();
    private boolean merges;

    Writer(Query query) {
      this.query = query;
    }

    /** False if it can't be told. */
    boolean write(Expr expr, int depth) {
      if (form.length() > MOST || depth > 50) {
        return false;
      }
      return switch (expr) {
        case Expr.Events e -> false;
        case Expr.Sql s -> false;
        case Expr.Number n -> text(Printer.print(n));
        case Expr.Negative n -> text("-(") && write(n.of(), depth + 1) && text(")");
        case Expr.Source s -> source(s, depth);
        case Expr.Binary b -> binary(b, depth);
        case Expr.Chain c -> {
          boolean ok = write(c.input(), depth + 1);
          for (var step : c.steps()) {
            ok = ok && step(step);
          }
          yield ok;
        }
      };
    }

    private boolean source(Expr.Source s, int depth) {
      var line = query.line(s.name());
      if (line != null) {
        return s.where().equals(Condition.ALL)
            && text("(")
            && write(line.expr(), depth + 1)
            && text(")");
      }
      wheres.add(Set.copyOf(parts(s.where())));
      return text(s.name() + " in " + s.store());
    }

    private static Collection<Condition> parts(Condition where) {
      if (!(where instanceof Condition.And and)) {
        return List.of(where);
      }
      var out = new LinkedHashSet<Condition>();
      and.parts().forEach(p -> out.addAll(parts(p)));
      return out;
    }

    private boolean binary(Expr.Binary b, int depth) {
      return text("(")
          && write(b.left(), depth + 1)
          && text(") " + b.operator().text() + " (")
          && write(b.right(), depth + 1)
          && text(") on " + b.on() + " missing " + b.missing());
    }

    private boolean step(Step step) {
      return switch (step) {
        case Step.OnTable t -> false;
        case Step.Off o -> true;
        case Step.LabelAs s -> true;
        case Step.UnitIs s -> true;
        case Step.GapAfter s -> true;
        case Step.Fill s -> true;
        case Step.Pick s -> true;
        case Step.KeepWhen s -> true;
        case Step.Smooth s -> true;
        case Step.Bucketing s -> keepsScale(s.reducer()) || text(" then " + Printer.print(s));
        case Step.Rate s -> text(" then rate per " + s.perMillis());
        case Step.Across s -> across(s);
        case Step.Quantile s -> merging("quantile " + s.q());
        case Step.Share s -> merging("share");
        default -> text(" then " + Printer.print(step));
      };
    }

    /** The greatest of some series is one of them. */
    private boolean across(Step.Across s) {
      var kind = s.reducer().kind();
      return kind == Reducer.Kind.MAX
          || kind == Reducer.Kind.MIN
          || merging("across " + s.reducer().text());
    }

    private boolean merging(String words) {
      merges = true;
      return text(" then " + words);
    }

    /** Whether a value over a time is of the size of the values in it. */
    private static boolean keepsScale(Reducer reducer) {
      return switch (reducer.kind()) {
        case MEAN, MIN, MAX, FIRST, LAST, MEDIAN, PERCENTILE -> true;
        case SUM, COUNT, STDDEV, SPREAD -> false;
      };
    }

    private boolean text(String text) {
      form.append(text);
      return true;
    }
  }
}
