package vintrel.core.query;

import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.BiConsumer;
import java.util.function.Function;
import vintrel.core.query.assist.Advisor;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.compute.QueryExecution;
import vintrel.core.query.plan.Allowance;
import vintrel.core.query.plan.BucketCache;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.MemoryBudget;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.plan.Traits;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.store.SampleSource;
import vintrel.core.unit.Durations;

/**
 * Answers queries from a source.
 *
 * <p>Evaluation goes down the tree with the range that each part must cover (wider below a sliding
 * window, earlier below a shift) and comes up with series sets. A source is read raw, or from a
 * tier if that gives the same; the first step that needs a grid puts it on one. Each line is
 * evaluated once for each range that is needed. Any thread.
 */
public final class Evaluator {
  private final SampleSource source;
  private final ExternalSource outside;
  private final Limits limits;
  private final MemoryBudget memory;
  private final BucketCache remembered;

  public Evaluator(SampleSource source, Limits limits) {
    this(source, ExternalSource.NONE, limits);
  }

  public Evaluator(SampleSource source, ExternalSource outside, Limits limits) {
    this(source, outside, limits, new MemoryBudget(Long.MAX_VALUE / 4));
  }

  /**
   * @param memory that all queries share
   */
  public Evaluator(
      SampleSource source, ExternalSource outside, Limits limits, MemoryBudget memory) {
    this(source, outside, limits, memory, new BucketCache());
  }

  /**
   * @param remembered buckets of earlier answers, which sources of the same store may share
   */
  public Evaluator(
      SampleSource source,
      ExternalSource outside,
      Limits limits,
      MemoryBudget memory,
      BucketCache remembered) {
    this.source = source;
    this.outside = outside;
    this.limits = limits;
    this.memory = memory;
    this.remembered = remembered;
  }

  /**
   * One that reads raw samples for each query and remembers nothing: slower, with the same answers
   * as far as raw samples are kept. It shows whose fault a difference is.
   */
  public static Evaluator plain(SampleSource source, Limits limits) {
    return new Evaluator(
        source, ExternalSource.NONE, limits, new MemoryBudget(Long.MAX_VALUE / 4), null);
  }

  /**
   * The answers of all shown lines.
   *
   * @throws QueryException if a name is unknown, a limit is passed, or the query is cancelled
   */
  public Answer evaluate(Query query, Request request) {
    return evaluate(query, request, List.of());
  }

  /**
   * @param also names of hidden lines that are answered too: {@link Answer#aside}
   */
  public Answer evaluate(Query query, Request request, Collection<String> also) {
    return run(query, request, run -> run.all(also));
  }

  /**
   * @param memory that the answer takes, until the caller closes it: what is made of the answer
   *     belongs to the same question
   */
  public Answer evaluate(
      Query query, Request request, Collection<String> also, MemoryBudget.Share memory) {
    return run(query, request, memory, run -> run.all(also));
  }

  /**
   * The value of each series of a line at an instant: the newest bucket that ends at or before it
   * and is not older than three pitches or one minute.
   *
   * @param line a line's name; empty for the last line
   * @param pitch ms of the buckets, which are laid so that one ends at the instant
   * @param timeout ms
   * @throws QueryException as {@link #evaluate}, and if the line is a table
   */
  public List<Reading> readings(Query query, String line, long at, long pitch, long timeout) {
    var wanted = wanted(query, line);
    var request = ending(query, Request.range(at, at, pitch), timeout);
    return run(query, request, run -> readings(run, query, wanted, request));
  }

  /**
   * The readings of all shown lines at the end of a request, in its circumstances.
   *
   * @param timeout ms
   * @throws QueryException as {@link #readings}
   */
  public Instant instant(Query query, Request asked, long timeout) {
    var request = ending(query, asked, timeout);
    return run(
        query,
        request,
        run -> {
          var lines = new LinkedHashMap<String, List<Reading>>();
          for (var line : query.lines()) {
            if (!line.hidden()) {
              lines.put(line.name(), readings(run, query, line, request));
            }
          }
          return new Instant(lines, run.told(List.of()));
        });
  }

  private <T> T run(Query query, Request request, Function<QueryExecution, T> work) {
    try (var share = memory.open()) {
      return run(query, request, share, work);
    }
  }

  private <T> T run(
      Query query, Request request, MemoryBudget.Share share, Function<QueryExecution, T> work) {
    try {
      return work.apply(
          new QueryExecution(
              source,
              outside,
              remembered,
              Allowance.of(limits, share),
              query,
              request,
              new Advisor(query, source, request)));
    } catch (StackOverflowError e) {
      throw new QueryException(
          "limit.depth", "the query nests too deep; split it into lines that are simpler", 0, 0);
    }
  }

  /** Looks at a line over the range of a request. */
  void checked(
      Query query,
      String line,
      Request request,
      BiConsumer<QueryExecution, SeriesSet.Gridded> work) {
    var wanted = wanted(query, line);
    run(
        query,
        request,
        run -> {
          work.accept(run, gridded(run.line(wanted, request.from(), request.to())));
          return null;
        });
  }

  private static Query.Line wanted(Query query, String line) {
    var wanted = line.isEmpty() ? query.lines().getLast() : query.line(line);
    if (wanted == null) {
      throw new QueryException("name", "no line is called '" + line + "'", 0, 0);
    }
    return wanted;
  }

  private static SeriesSet.Gridded gridded(SeriesSet set) {
    if (set instanceof SeriesSet.Gridded gridded) {
      return gridded;
    }
    throw new QueryException(
        "table", "the line returns a table; rules and instant queries need series", 0, 0);
  }

  /** How old the newest bucket of a reading may be, ms. */
  static long fresh(long pitch) {
    return Math.max(3 * pitch, Durations.MINUTE);
  }

  /** How far before an instant its value may be found, ms. */
  static long reach(Query query, long pitch) {
    return Math.max(fresh(pitch), 2 * Traits.longestWidth(query));
  }

  /** A request whose buckets end with the end of another, as far back as a value may be found. */
  private static Request ending(Query query, Request asked, long timeout) {
    long deadline = System.nanoTime() + timeout * 1_000_000;
    return new Request(
        asked.to() - reach(query, asked.pitch()),
        asked.to(),
        asked.pitch(),
        asked.to(),
        asked.zone(),
        asked.store(),
        asked.controls(),
        () -> System.nanoTime() > deadline || asked.cancelled().getAsBoolean(),
        false);
  }

  private static List<Reading> readings(
      QueryExecution run, Query query, Query.Line line, Request request) {
    var gridded = gridded(run.line(line, request.from(), request.to()));
    var grid = gridded.grid();
    int last = grid.count() - 1;
    long oldest = request.to() - Math.max(fresh(request.pitch()), grid.pitch());
    var rows = gridded.rows();
    var at = new int[rows.size()];
    boolean noWindow = Traits.longestWidth(query) == 0;
    var asked = new ArrayList<Integer>();
    for (int k = 0; k < at.length; k++) {
      var values = rows.get(k).values();
      int i = last;
      while (i >= 0 && Double.isNaN(values[i]) && grid.time(i) >= oldest) {
        i--;
      }
      at[k] = i >= 0 && Double.isNaN(values[i]) ? -1 : i;
      boolean ofNow = at[k] >= 0 && (noWindow || at[k] < last);
      if (ofNow && rows.get(k).origin() != null) {
        asked.add(k);
      }
    }
    // What is the last of a series is its value only as long as it has not ended since; what a
    // window holds that the query names stays.
    var origins = asked.stream().map(k -> rows.get(k).origin()).toList();
    var ended = run.ended(origins, oldest - grid.pitch(), request.to());
    for (int k = 0; k < asked.size(); k++) {
      at[asked.get(k)] = ended[k] ? -1 : at[asked.get(k)];
    }
    var out = new ArrayList<Reading>();
    for (int k = 0; k < at.length; k++) {
      out.add(new Reading(rows.get(k), at[k] < 0 ? Double.NaN : rows.get(k).values()[at[k]]));
    }
    return out;
  }

  /**
   * Readings by line, in order.
   *
   * @param answer its advice, counts and traces, without lines
   */
  public record Instant(Map<String, List<Reading>> lines, Answer answer) {}

  /**
   * A series at an instant; NaN if it has no fresh value, or if it ended since: its last sample is
   * NaN.
   */
  public record Reading(Row row, double value) {}
}
