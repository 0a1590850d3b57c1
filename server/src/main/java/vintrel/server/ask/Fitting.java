package vintrel.server.ask;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.function.BooleanSupplier;
import org.springframework.stereotype.Service;
import vintrel.core.fit.Fit;
import vintrel.core.panel.Need;
import vintrel.core.panel.PanelKinds;
import vintrel.core.query.syntax.QueryException;

/** Runs what Fit proposes; what fails, or gives nothing, is no proposal. */
@Service
public class Fitting {
  /** For each proposal, ms. */
  private static final long TIMEOUT = 2_000;

  /** Kinds that only need a shape as yet. */
  private static final Map<String, Need> SHAPES =
      Map.of("distribution", Need.BINS, "heatmap", Need.CELLS);

  private final Queries queries;

  Fitting(Queries queries) {
    this.queries = queries;
  }

  /**
   * A proposal with its result.
   *
   * @param gives its shape in words
   * @param hides what it does not show any more, in words; empty: nothing
   */
  public record Tried(
      Fit.Proposal proposal, String gives, String hides, Queries.Answered answered) {}

  /**
   * @param result of the query as it is
   * @param tried best first
   */
  public record Fitted(Fit.Result result, Queries.Answered answered, List<Tried> tried) {}

  /**
   * The shape that a kind needs.
   *
   * @throws IllegalArgumentException if there is no such kind
   */
  static Need need(String kind) {
    var known = PanelKinds.named(kind);
    var need = known == null ? SHAPES.get(kind) : known.need();
    if (need == null) {
      var names = new ArrayList<String>();
      PanelKinds.ALL.forEach(k -> names.add(k.word()));
      names.addAll(SHAPES.keySet().stream().sorted().toList());
      throw new IllegalArgumentException(
          "no kind of panel named `" + kind + "`; kinds: " + String.join(", ", names));
    }
    return need;
  }

  /**
   * Proposals for a query.
   *
   * @param unit that overrides the data's own; empty: none
   * @throws QueryException if the query itself fails
   */
  public Fitted fit(Queries.Ask ask, Need need, String unit) {
    var answered = queries.answer(ask);
    var range = ask.range();
    var result = Fit.of(answered.query(), answered.answer(), need, range.from(), range.to());
    var tried = new ArrayList<Tried>();
    for (var p : result.proposals()) {
      long deadline = System.nanoTime() + TIMEOUT * 1_000_000;
      BooleanSupplier stop = () -> System.nanoTime() > deadline || ask.cancelled().getAsBoolean();
      try {
        var one = queries.answer(ask.text(p.query()).until(stop));
        if (one.empty() == null) {
          var line =
              one.answer().lines().stream()
                  .filter(l -> l.name().equals(result.line()))
                  .findFirst()
                  .orElseThrow();
          tried.add(
              new Tried(p, line.set().shape(), Fit.hides(answered.answer(), result, p, unit), one));
        }
      } catch (QueryException e) {
        // Data decides what works; the others remain.
        continue;
      }
    }
    return new Fitted(result, answered, List.copyOf(tried));
  }
}
