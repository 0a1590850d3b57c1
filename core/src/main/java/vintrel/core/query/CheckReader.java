package vintrel.core.query;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.BooleanSupplier;
import vintrel.core.chunk.Samples;
import vintrel.core.query.compute.QueryExecution;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.plan.Traits;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Step;
import vintrel.core.query.syntax.Trees;
import vintrel.core.series.Labels;
import vintrel.core.series.Series;

/**
 * What the checks of a rule find: at an instant, or at many instants by few questions. At an
 * instant buckets end with it. Instants that are a multiple of all fixed widths apart have the same
 * buckets, so that one question answers all of them: it takes as many questions as there are
 * classes of such instants. Any thread.
 */
public final class CheckReader {
  /** Questions for one range at most. */
  public static final int MAX_CLASSES = 60;

  private final Evaluator evaluator;

  public CheckReader(Evaluator evaluator) {
    this.evaluator = evaluator;
  }

  /**
   * Checks at {@code first + i·step}.
   *
   * @param values by the labels of a series; one for each check, NaN for none
   * @param cut whether there are more series
   */
  public record Checks(
      long first, long step, int count, Map<Labels, double[]> values, boolean cut) {
    public long at(int i) {
      return first + i * step;
    }
  }

  /** As {@link Evaluator#readings}. */
  public List<Evaluator.Reading> at(Query query, String line, long at, long pitch, long timeout) {
    return evaluator.readings(query, line, at, pitch, timeout);
  }

  /** Into how many classes instants fall that are so far apart. */
  public static long classes(Query query, long step) {
    long common = step;
    for (long width : widths(query)) {
      long factor = width / gcd(common, width);
      if (common > Long.MAX_VALUE / 4 / factor) {
        return Long.MAX_VALUE;
      }
      common *= factor;
    }
    return common / step;
  }

  private static List<Long> widths(Query query) {
    var out = new ArrayList<Long>();
    for (var line : query.lines()) {
      Trees.steps(
          line.expr(),
          s -> {
            var traits = Traits.of(s);
            if (traits.width() > 0 && !traits.sliding()) {
              out.add(traits.width());
            }
          });
    }
    return out;
  }

  private static long gcd(long a, long b) {
    return b == 0 ? a : gcd(b, a % b);
  }

  /** Why checks of a query can't be read over a range, in words, or null if they can. */
  public static String refused(Query query) {
    var found = new String[1];
    for (var line : query.lines()) {
      Trees.steps(
          line.expr(),
          s -> {
            var word = ofWholeRange(s);
            if (word != null && found[0] == null) {
              found[0] =
                  "`%s` depends on the whole range; a rule with it can't be rehearsed"
                      .formatted(word);
            }
          });
    }
    return found[0];
  }

  private static String ofWholeRange(Step step) {
    return switch (step) {
      case Step.Pick p -> "top";
      case Step.Cumulate c -> "cumulate";
      case Step.Since s -> "since";
      case Step.Forecast f -> "forecast";
      case Step.Fill f -> "missing";
      case Step.Smooth s -> "smooth";
      case Step.Outliers o -> "outliers";
      case Step.OnTable t -> "a step of a table";
      default -> null;
    };
  }

  /**
   * What checks find at each {@code step} from {@code first} on: at each instant the same as {@link
   * #at}, from what is stored now.
   *
   * @param last at least {@code first}; the last check is at or before it
   * @param pitch ms between the checks of the rule
   * @param step ms between the instants that are looked at, a multiple of the pitch
   * @param most series at most, the first by their labels
   * @throws QueryException as {@link #at}, and with code {@code range} if a step looks at the whole
   *     range, or the instants have too many classes
   */
  public Checks over(
      Query query,
      String line,
      long first,
      long last,
      long pitch,
      long step,
      int most,
      BooleanSupplier cancelled) {
    var refused = refused(query);
    if (refused != null) {
      throw new QueryException("range", refused, 0, 0);
    }
    long classes = classes(query, step);
    if (classes > MAX_CLASSES) {
      throw new QueryException(
          "range",
          "its windows and the interval of its checks need %,d questions; the limit is %d"
              .formatted(classes, MAX_CLASSES),
          0,
          0);
    }
    int count = (int) ((last - first) / step) + 1;
    var out = new TreeMap<Labels, double[]>();
    boolean[] cut = {false};
    for (int c = 0; c < classes && c < count; c++) {
      int of = (count - 1 - c) / (int) classes + 1;
      long begin = first + c * step;
      long end = begin + (of - 1) * classes * step;
      var request = request(query, begin, end, pitch, cancelled);
      var part = new Part(c, (int) classes, of, begin, classes * step, pitch, count);
      evaluator.checked(
          query, line, request, (run, set) -> cut[0] |= part.read(run, set, query, most, out));
    }
    return new Checks(first, step, count, out, cut[0]);
  }

  private static Request request(
      Query query, long begin, long end, long pitch, BooleanSupplier cancelled) {
    var one = Request.range(end, end, pitch);
    return new Request(
        begin - Evaluator.reach(query, pitch),
        end,
        pitch,
        end,
        one.zone(),
        one.store(),
        one.controls(),
        cancelled,
        false);
  }

  /**
   * The instants of one class.
   *
   * @param offset the first among all instants
   * @param stride from one to the next among all
   * @param begin the first, ms
   * @param apart ms from one to the next
   * @param all instants of all classes
   */
  private record Part(
      int offset, int stride, int count, long begin, long apart, long pitch, int all) {

    /** Returns whether series were left out. */
    boolean read(
        QueryExecution run,
        SeriesSet.Gridded set,
        Query query,
        int most,
        Map<Labels, double[]> into) {
      var grid = set.grid();
      boolean noWindow = Traits.longestWidth(query) == 0;
      long back = Math.max(Evaluator.fresh(pitch), grid.pitch());
      // An instant sees the buckets that its own question would read, and no others.
      long reach = Math.ceilDiv(Evaluator.reach(query, pitch), grid.pitch()) * grid.pitch();
      long from = begin - back - 2 * grid.pitch();
      var rows = set.rows();
      boolean cut = rows.size() > most;
      if (cut) {
        rows = rows.stream().sorted(Comparator.comparing(Row::labels)).limit(most).toList();
      }
      var origins = new ArrayList<Series>();
      rows.stream().map(Row::origin).filter(o -> o != null).forEach(origins::add);
      var raw = run.samples(origins, from, begin + (count - 1) * apart);
      int next = 0;
      for (var row : rows) {
        var samples = row.origin() == null ? null : raw.get(next++);
        if (into.size() >= most && !into.containsKey(row.labels())) {
          cut = true;
          continue;
        }
        var values =
            into.computeIfAbsent(
                row.labels(),
                l -> {
                  var none = new double[all];
                  Arrays.fill(none, Double.NaN);
                  return none;
                });
        row(row, grid, back, reach, noWindow, samples, values);
      }
      return cut;
    }

    private void row(
        Row row,
        Grid grid,
        long back,
        long reach,
        boolean noWindow,
        Samples samples,
        double[] into) {
      int seen = 0;
      double[] found = row.values();
      int newest = -1;
      for (int i = 0; i < count; i++) {
        long t = begin + i * apart;
        while (newest + 1 < grid.count() && grid.time(newest + 1) < t) {
          newest++;
        }
        int k = newest;
        while (k >= 0 && Double.isNaN(found[k]) && grid.time(k) >= t - back) {
          k--;
        }
        if (k < 0 || Double.isNaN(found[k]) || grid.time(k) < t - reach) {
          continue;
        }
        if (samples != null && (noWindow || k < newest)) {
          while (seen < samples.count() && samples.times()[seen] < t) {
            seen++;
          }
          boolean ended =
              seen > 0
                  && Double.isNaN(samples.values()[seen - 1])
                  && samples.times()[seen - 1] >= t - back - grid.pitch();
          if (ended) {
            continue;
          }
        }
        into[offset + i * stride] = found[k];
      }
    }
  }
}
