package vintrel.core.fit;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.List;
import java.util.PriorityQueue;
import java.util.stream.Collectors;
import vintrel.core.frame.Column;
import vintrel.core.panel.Need;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.SourceSpan;
import vintrel.core.query.syntax.Step;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Units;

/**
 * Proposes the steps that bring what a line gives into the shape that a kind of panel needs:
 * uniform-cost search (Dijkstra, 1959) over the signatures of the steps. Bounded by {@link
 * #MAX_STATES}; it reads no data besides the answer that it is given.
 */
public final class Fit {
  /** Proposals at most. */
  public static final int MAX = 3;

  private static final int MAX_STATES = 4_000;
  private static final int MAX_STEPS = 6;

  /**
   * Steps to add to a line.
   *
   * @param query the whole query with them
   * @param steps their texts, in order
   * @param text what they do, in words
   * @param added the steps
   */
  public record Proposal(String query, List<String> steps, String text, List<Step> added) {}

  /**
   * What a line's shape means for a kind.
   *
   * @param line its name; empty for a lone line
   * @param gives the shape in words
   * @param mismatch what keeps it from fitting, in a few words; empty if it fits
   * @param fits whether it can be drawn as it is
   * @param proposals best first, with different meanings; none if nothing is to be won, or if no
   *     chain is known
   */
  public record Result(
      String line, String gives, String mismatch, boolean fits, List<Proposal> proposals) {}

  private record State(Shape shape, List<Signatures.Move> path, double cost) {}

  private Fit() {}

  /**
   * Proposals for the last shown line that does not fit, or for the last shown line.
   *
   * @param answer of the query
   * @param from start of its range, ms
   * @param to its end, exclusive
   */
  public static Result of(Query query, Answer answer, Need need, long from, long to) {
    Result last = new Result("", "nothing", "", need == Need.NOTHING, List.of());
    var reader = new ShapeReader(query);
    for (int i = answer.lines().size() - 1; i >= 0; i--) {
      var given = answer.lines().get(i);
      var line = query.line(given.name());
      var shape = reader.of(line, given.set());
      boolean fits = shape.meets(need);
      if (!fits || last.line().isEmpty() && last.proposals().isEmpty()) {
        last =
            new Result(
                line.name(),
                words(given.set(), shape),
                fits ? "" : mismatch(shape, given.set(), need),
                fits,
                shape.reaches(need) ? List.of() : propose(query, line, shape, need, to - from));
      }
      if (!fits) {
        break;
      }
    }
    return last;
  }

  private static String words(SeriesSet set, Shape shape) {
    var kind =
        switch (shape.quantity()) {
          case COUNTER -> ", counters";
          case BUCKETS, BUCKET_RATES, BUCKET_COUNTS -> ", histogram buckets";
          default -> "";
        };
    return (shape.form() == Shape.Form.EVENTS ? "events, " : "") + set.shape() + kind;
  }

  private static String mismatch(Shape shape, SeriesSet set, Need need) {
    int points = set instanceof SeriesSet.Gridded g ? g.grid().count() : 0;
    return switch (shape.form()) {
      case EVENTS -> "rows to counts";
      case TABLE ->
          need == Need.SERIES ? "rows to series" : Counts.of(shape.rows(), "row") + " to one";
      case SERIES ->
          switch (shape.quantity()) {
            case COUNTER -> "counter → rate";
            case BUCKETS, BUCKET_RATES, BUCKET_COUNTS ->
                need == Need.BINS || need == Need.CELLS
                    ? "cumulative buckets to counts"
                    : "buckets to a quantile";
            default ->
                switch (need) {
                  case NAMED_NUMBERS -> points + " to one";
                  case SERIES, NUMBER -> shape.members().size() + " series to fewer";
                  default -> "values to counts";
                };
          };
      default -> "another shape";
    };
  }

  private static List<Proposal> propose(
      Query query, Query.Line line, Shape start, Need need, long range) {
    var signatures = new Signatures(need, range);
    var open = new PriorityQueue<State>(Comparator.comparingDouble(State::cost));
    var seen = new HashSet<Object>();
    var reached = new ArrayList<State>();
    open.add(new State(start, List.of(), 0));
    for (int n = 0; n < MAX_STATES && !open.isEmpty() && reached.size() < 5 * MAX; n++) {
      var state = open.remove();
      if (!seen.add(List.of(state.shape(), meaning(state)))) {
        continue;
      }
      if (!state.path().isEmpty() && state.shape().reaches(need)) {
        reached.add(state);
        continue;
      }
      if (state.path().size() < MAX_STEPS) {
        for (var move : signatures.after(state.shape())) {
          var path = new ArrayList<>(state.path());
          path.add(move);
          open.add(new State(move.to(), List.copyOf(path), state.cost() + 1 + move.hides()));
        }
      }
    }
    return different(reached).stream().map(s -> proposal(query, line, s)).toList();
  }

  /** What its numbers mean; two ways to the same are one. */
  private static String meaning(State state) {
    return state.path().stream()
        .filter(m -> !m.words().isEmpty())
        .map(Signatures.Move::words)
        .collect(Collectors.joining(", "));
  }

  /** The first ones, of which no more than two name the same things. */
  private static List<State> different(List<State> reached) {
    var out = new ArrayList<State>();
    var rest = new ArrayList<State>();
    for (var s : reached) {
      var same = out.stream().filter(o -> about(o).equals(about(s))).count();
      (same < 2 ? out : rest).add(s);
    }
    out.addAll(rest);
    return out.subList(0, Math.min(MAX, out.size()));
  }

  private static Object about(State state) {
    return List.copyOf(state.shape().members());
  }

  /**
   * What a proposal does not show any more: a mean hides the highest value.
   *
   * @param answer of the query without it
   * @param unit that overrides the data's own; empty: none
   * @return a sentence, or empty
   */
  public static String hides(Answer answer, Result result, Proposal proposal, String unit) {
    var given = answer.lines().stream().filter(l -> l.name().equals(result.line())).findFirst();
    boolean mean = proposal.added().getFirst() instanceof Step.Across a && isMean(a.reducer());
    mean |=
        proposal.added().getFirst() instanceof Step.GroupBy g
            && isMean(g.aggregates().getFirst().reducer());
    if (!mean || given.isEmpty()) {
      return "";
    }
    var frame = Frames.of(given.get());
    Column.Number highest = null;
    double max = Double.NEGATIVE_INFINITY;
    for (var n : frame.drawable() ? frame.numbers() : List.<Column.Number>of()) {
      for (double v : n.values()) {
        if (v > max) {
          max = v;
          highest = n;
        }
      }
    }
    return highest == null
        ? ""
        : "The mean hides the maximum: %s, %s."
            .formatted(highest.name(), Units.format(max, unit.isEmpty() ? highest.unit() : unit));
  }

  private static boolean isMean(Reducer reducer) {
    return reducer.kind() == Reducer.Kind.MEAN;
  }

  private static Proposal proposal(Query query, Query.Line line, State state) {
    var added = state.path().stream().map(Signatures.Move::step).toList();
    var old = line.expr();
    var steps = new ArrayList<Step>();
    if (old instanceof Expr.Chain c) {
      steps.addAll(c.steps());
    }
    steps.addAll(added);
    var input = old instanceof Expr.Chain c ? c.input() : old;
    var expr = new Expr.Chain(input, steps, SourceSpan.NONE);
    var lines =
        query.lines().stream()
            .map(l -> l == line ? new Query.Line(l.name(), l.hidden(), expr, l.span()) : l)
            .toList();
    var words = meaning(state);
    return new Proposal(
        Printer.print(new Query(lines, query.source())),
        added.stream().map(Printer::print).toList(),
        words.substring(0, 1).toUpperCase(java.util.Locale.ROOT) + words.substring(1),
        added);
  }
}
