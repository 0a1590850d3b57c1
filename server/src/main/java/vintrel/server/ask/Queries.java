package vintrel.server.ask;

import com.github.benmanes.caffeine.cache.Caffeine;
import com.github.benmanes.caffeine.cache.LoadingCache;
import java.time.Clock;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.function.BooleanSupplier;
import java.util.function.Function;
import java.util.function.Supplier;
import org.springframework.stereotype.Service;
import vintrel.core.frame.Frame;
import vintrel.core.picture.Pitch;
import vintrel.core.query.Evaluator;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.plan.Advice;
import vintrel.core.query.plan.BucketCache;
import vintrel.core.query.plan.CutBuckets;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.MemoryBudget;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.Sources;
import vintrel.core.store.MemoryClaim;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.TimeText;
import vintrel.server.store.LogStore;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.HeapParts;
import vintrel.server.web.Pools;
import vintrel.server.web.Settings;
import vintrel.server.web.Turns;

/** Answers query texts from the store. Any thread. */
@Service
public class Queries {
  private static final int PROBED = 3;

  /** Bytes of a point of a picture beside its value: rounded, and as a text. */
  private static final int POINT = 28;

  /** Bytes of a series of a picture beside its points. */
  private static final int SERIES = 2_000;

  /** Stores whose bound tokens' answers are remembered apart. */
  private static final int MAX_BOUND = 20;

  private final SampleStore store;
  private final EmptyAnswerReason why;
  private final Evaluator evaluator;
  private final Evaluator watching;
  private final LoadingCache<String, Evaluator> bound;
  private final QuestionMemory memory;
  private final Turns turns;

  Queries(
      SampleStore store,
      ExternalSources outside,
      LogStore events,
      Pools pools,
      QuestionMemory memory,
      Clock clock,
      Settings settings) {
    this.store = store;
    this.why = new EmptyAnswerReason(store, outside, events, clock);
    var q = settings.query();
    this.turns = pools.queries();
    this.memory = memory;
    var limits = new Limits(q.maxSeries(), q.maxSamples(), q.maxMillis());
    // What is computed of the same series is the same for all.
    var buckets = new BucketCache(HeapParts.buckets());
    var budget = memory.budget();
    this.evaluator = new Evaluator(store, outside, limits, budget, buckets);
    this.watching =
        new Evaluator(store, outside, limits, new MemoryBudget(HeapParts.rules()), buckets);
    this.bound =
        Caffeine.newBuilder()
            .maximumSize(MAX_BOUND)
            .build(
                named -> {
                  var one = new BoundSource(store, outside, named);
                  return new Evaluator(one, one, limits, budget, buckets);
                });
  }

  /**
   * Computes in turn with other callers; a caller's own queries wait for each other.
   *
   * @throws vintrel.core.store.StoreBusyException if too many wait
   */
  public <T> T inTurn(Supplier<T> work) {
    return turns.run(CurrentUser.name(), work);
  }

  /**
   * @param pitch of the buckets, ms
   * @param empty why there is nothing, or null if there is something
   */
  public record Answered(Query query, Answer answer, long pitch, List<Frame> frames, Empty empty) {
    public List<Advice> advice() {
      return answer.advice();
    }
  }

  /**
   * Why an answer is empty.
   *
   * @param nearest the time of the newest sample of the queried metrics, or 0
   */
  public record Empty(String text, long nearest) {}

  /**
   * A question and its circumstances.
   *
   * @param step ms of a bucket, or 0 to choose by the points that are wanted
   * @param points how many buckets fit the picture
   * @param zone where days begin
   * @param store read if a source names none; empty: all
   * @param cancelled true ends it
   * @param also names of hidden lines that are answered too
   */
  public record Ask(
      String text,
      TimeText.Range range,
      long step,
      int points,
      Map<String, List<String>> controls,
      ZoneId zone,
      String store,
      BooleanSupplier cancelled,
      List<String> also) {
    public Ask(String text, TimeText.Range range, int points) {
      this(text, range, 0, points, Map.of(), ZoneOffset.UTC, "", () -> false, List.of());
    }

    public Ask text(String other) {
      return new Ask(other, range, step, points, controls, zone, store, cancelled, also);
    }

    public Ask step(long millis) {
      return new Ask(text, range, millis, points, controls, zone, store, cancelled, also);
    }

    public Ask with(Map<String, List<String>> chosen) {
      return new Ask(text, range, step, points, chosen, zone, store, cancelled, also);
    }

    public Ask at(ZoneId where) {
      return new Ask(text, range, step, points, controls, where, store, cancelled, also);
    }

    public Ask in(String named) {
      return new Ask(text, range, step, points, controls, zone, named, cancelled, also);
    }

    public Ask over(TimeText.Range other) {
      return new Ask(text, other, step, points, controls, zone, store, cancelled, also);
    }

    public Ask until(BooleanSupplier stop) {
      return new Ask(text, range, step, points, controls, zone, store, stop, also);
    }

    /** With the answers of hidden lines. */
    public Ask also(List<String> lines) {
      return new Ask(text, range, step, points, controls, zone, store, cancelled, lines);
    }
  }

  /**
   * Answers a question.
   *
   * @throws vintrel.core.query.syntax.QueryException as the evaluator does
   */
  public Answered answer(Ask ask) {
    var only = CurrentUser.store();
    return memory.asking(share -> inTurn(() -> answerNow(ask, only, share)));
  }

  /** For what is made of answers in the request that this thread serves. */
  public MemoryClaim claim() {
    return memory.claim();
  }

  /** For a picture of frames: values as they are shown, and the texts of the pointer. */
  public void claimPicture(List<Frame> frames) {
    long bytes = 0;
    for (var frame : frames) {
      for (var n : frame.numbers()) {
        bytes += (n.low() == null ? 1L : 3L) * n.size() * POINT + SERIES;
      }
    }
    memory.claim().take(bytes);
  }

  /**
   * Answers a question of which only what is made of it here is held.
   *
   * @throws vintrel.core.query.syntax.QueryException as the evaluator does
   */
  public <T> T answer(Ask ask, Function<Answered, T> use) {
    var only = CurrentUser.store();
    return memory.alone(share -> use.apply(inTurn(() -> answerNow(ask, only, share))));
  }

  private Answered answerNow(Ask ask, String only, MemoryBudget.Share share) {
    var query = Parser.parse(ask.text());
    var range = ask.range();
    long pitch =
        ask.step() > 0
            ? ask.step()
            : Pitch.fitting(range.millis(), ask.points(), interval(query, range, ask.controls()));
    return answerNow(query, ask, pitch, only, share);
  }

  /** The same over another range with a pitch that is known already. */
  Answered answer(Query query, Ask ask, long pitch) {
    return memory.asking(share -> inTurn(() -> answerNow(query, ask, pitch, "", share)));
  }

  private Answered answerNow(
      Query query, Ask ask, long pitch, String only, MemoryBudget.Share share) {
    var request =
        Request.range(ask.range().from(), ask.range().to(), pitch)
            .with(ask.controls())
            .at(ask.zone())
            .in(ask.store())
            .until(ask.cancelled());
    var answer =
        evaluator(only)
            .evaluate(query, ask.step() > 0 ? request : request.fit(), ask.also(), share);
    var shown = query.lines().stream().filter(l -> !l.hidden()).toList();
    var frames = new ArrayList<Frame>();
    for (int i = 0; i < shown.size(); i++) {
      boolean cut = CutBuckets.first(query, shown.get(i).expr());
      frames.add(Frames.of(answer.lines().get(i)).cutAtFirst(cut));
    }
    boolean any = frames.stream().anyMatch(Queries::any);
    // The reason covers all stores.
    boolean told = !any && only.isEmpty();
    return new Answered(query, answer, pitch, frames, told ? why.of(query, ask, answer) : null);
  }

  private static boolean any(Frame frame) {
    return frame.drawable()
        ? frame.numbers().stream().anyMatch(n -> any(n.values()))
        : frame.rows() > 0 && frame.columns().stream().anyMatch(c -> !c.name().equals("time"));
  }

  /** The usual distance of samples of the slowest source, judged by a few of its series; ms. */
  private long interval(Query query, TimeText.Range range, Map<String, List<String>> controls) {
    var sources = new ArrayList<Expr.Source>();
    query.lines().forEach(l -> Sources.collect(query, l.expr(), sources));
    long slowest = 0;
    for (var s : sources) {
      var some =
          store.select(s.store(), s.name(), s.where().bind(controls::get)).stream()
              .limit(PROBED)
              .toList();
      for (var series : some) {
        slowest = Math.max(slowest, store.interval(series));
      }
    }
    return slowest;
  }

  private static boolean any(double[] values) {
    for (double v : values) {
      if (!Double.isNaN(v)) {
        return true;
      }
    }
    return false;
  }

  EmptyAnswerReason why() {
    return why;
  }

  public Evaluator evaluator() {
    return evaluator;
  }

  /** For rules: with memory that no question can take from them. */
  public Evaluator watching() {
    return watching;
  }

  /**
   * What may be seen by the sender of the request that this thread serves.
   *
   * @param store that a token is bound to, or empty
   */
  Evaluator evaluator(String store) {
    return store.isEmpty() ? evaluator : bound.get(store);
  }
}
