package vintrel.core.slow;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import vintrel.core.slow.SlowQuery.Chain;
import vintrel.core.slow.SlowQuery.Line;
import vintrel.core.slow.SlowQuery.LineRef;
import vintrel.core.slow.SlowQuery.Metric;
import vintrel.core.slow.SlowQuery.Neg;
import vintrel.core.slow.SlowQuery.Node;
import vintrel.core.slow.SlowQuery.Num;
import vintrel.core.slow.SlowQuery.Step;
import vintrel.core.slow.SlowQuery.Two;

/**
 * Random queries. Steps whose result depends on where the range begins (top, cumulate, fill) come
 * last, so that what is before them need not be wider.
 */
final class SlowGenerator {
  private static final String[] REDUCERS = {
    "mean", "min", "max", "sum", "count", "first", "last", "median", "stddev", "spread", "p95",
    "p50"
  };
  private static final String[] CALM = {"mean", "min", "max", "count", "first", "last", "median"};
  private final Random random;
  private final long step;
  private final boolean days;

  /**
   * @param step ms between samples
   */
  SlowGenerator(Random random, long step) {
    this.random = random;
    this.step = step;
    this.days = step >= 600_000;
  }

  SlowQuery query() {
    if (random.nextInt(4) > 0) {
      return new SlowQuery(List.of(new Line("", expression())));
    }
    var lines = new ArrayList<Line>();
    var first = source();
    while (first.name().equals("huge")) {
      first = source();
    }
    lines.add(new Line("one", chain(first, false)));
    lines.add(new Line("two", random.nextBoolean() ? chain(source(), true) : expression()));
    Node three =
        random.nextBoolean()
            ? two(
                new LineRef("one"),
                random.nextBoolean() ? new LineRef("one") : chain(source(), false))
            : chain(new LineRef("one"), true);
    lines.add(new Line("three", three));
    return new SlowQuery(lines);
  }

  private Node expression() {
    return switch (random.nextInt(8)) {
      case 0, 1 -> two(chain(source(), false), chain(source(), false));
      case 2 -> ratio();
      case 3 -> compared();
      case 4 -> new Neg(chain(source(), false));
      case 5 -> {
        var two = two(chain(source(), false), chain(source(), false));
        yield two.toString().contains("huge") ? two : new Chain(two, List.of(wide()));
      }
      default -> chain(source(), true);
    };
  }

  /** With a number that no value equals but for the last bits. */
  private Node compared() {
    var number = new Num(random.nextInt(9) + 0.3719);
    var op = pick("+", "-", "*", "/", ">", "<=", "!=");
    var left = chain(source(), true);
    return random.nextBoolean()
        ? new Two(op, left, number, List.of(), random.nextInt(4) == 0 ? 2.0 : null)
        : new Two(op, number, left, List.of(), null);
  }

  private Node ratio() {
    var bad =
        new Chain(
            new Metric("r", null, null, null), List.of(rate(), Step.of("across", "sum", 0, 0)));
    var all =
        new Chain(
            new Metric("a", null, null, null), List.of(rate(), Step.of("across", "sum", 0, 0)));
    var by = new Step("across", "sum", 0, 0, 0, List.of("gate"), false);
    Node left =
        random.nextInt(3) == 0 ? bad : new Chain(bad.input(), List.of(bad.steps().getFirst(), by));
    Node right =
        random.nextInt(3) == 0 ? all : new Chain(all.input(), List.of(all.steps().getFirst(), by));
    return new Two(pick("/", "-", "+"), left, right, List.of(), random.nextBoolean() ? 0.0 : null);
  }

  private Step rate() {
    return new Step("rate", "", 0, 1000, 0, List.of(), false);
  }

  private Two two(Node left, Node right) {
    List<String> on = random.nextInt(4) == 0 ? List.of(pick("host", "site", "gate")) : List.of();
    Double missing = random.nextInt(4) == 0 ? (double) random.nextInt(3) : null;
    boolean huge = left.toString().contains("huge") || right.toString().contains("huge");
    var op = huge ? "-" : pick("+", "-", "*", "/");
    return new Two(op, left, right, on, missing);
  }

  private Metric source() {
    var name =
        pick("g", "g", "g", "c", "c", "c", "slow", "edge", "edgec", "r", "huge", "hist.bucket");
    return switch (random.nextInt(4)) {
      case 0 -> new Metric(name, "host", pick("=", "!="), pick("h1", "h2", "once"));
      default -> new Metric(name, null, null, null);
    };
  }

  /**
   * @param last whether steps that depend on where the range begins may end it
   */
  private Chain chain(Node input, boolean last) {
    var steps = new ArrayList<Step>();
    boolean huge = input instanceof Metric m && m.name().equals("huge");
    if (huge) {
      steps.add(Step.of(pick("every", "over"), pick(CALM), pitch(), 0));
      return new Chain(input, steps);
    }
    if (input instanceof Metric m && m.name().equals("hist.bucket") && random.nextBoolean()) {
      steps.add(rate());
      var labels = random.nextBoolean() ? List.of("host") : List.<String>of();
      steps.add(new Step("quantile", "", 0, pick(0.5, 0.95, 0.99), 0, labels, false));
      return new Chain(input, steps);
    }
    int n = 1 + random.nextInt(3);
    for (int i = 0; i < n; i++) {
      steps.add(random.nextInt(3) == 0 ? plain() : wide());
    }
    if (last && random.nextInt(4) == 0) {
      steps.add(ending());
    }
    return new Chain(input, steps);
  }

  private Step plain() {
    return switch (random.nextInt(7)) {
      case 0 ->
          Step.of("value", pick("abs", "round", "floor", "ceil", "ln", "log10", "sqrt"), 0, 0);
      case 1 -> Step.of("value", "times", 0, 8);
      case 2 -> new Step("value", "clamp", 0, -5, 400, List.of(), false);
      case 3 -> Step.of("keep", pick(">", "<=", "!="), 0, random.nextInt(500) + 0.3719);
      case 4 -> Step.of("label", "", 0, 0);
      case 5 -> Step.of("off", "", 0, 0);
      default -> Step.of("unit", "", 0, 0);
    };
  }

  /** Steps whose result for a bucket is the same in whatever range. */
  private Step wide() {
    boolean slides = random.nextBoolean();
    return switch (random.nextInt(17)) {
      case 0, 1 -> Step.of("every", pick(REDUCERS), pitch(), 0);
      case 2, 3 -> Step.of("over", pick(REDUCERS), pitch(), 0);
      case 4, 5 ->
          new Step("rate", "", random.nextBoolean() ? 0 : pitch(), per(), 0, List.of(), false);
      case 6, 7 -> Step.of("increase", "", random.nextBoolean() ? 0 : pitch(), 0);
      case 8 ->
          new Step("change", "", random.nextInt(3) == 0 ? 0 : pitch(), 0, 0, List.of(), slides);
      case 9 ->
          new Step("slope", "", random.nextInt(3) == 0 ? 0 : pitch(), per(), 0, List.of(), slides);
      case 10, 11 -> {
        var labels =
            random.nextInt(3) == 0 ? List.<String>of() : List.of(pick("host", "site", "gate"));
        yield new Step("across", pick(REDUCERS), 0, 0, 0, labels, random.nextInt(4) == 0);
      }
      case 12 -> Step.of("gap", "", pitch(), 0);
      case 13 -> Step.of("smooth", "", pitch() * 3, 0);
      case 14 -> Step.of("shift", "", shift(), 0);
      case 15 -> Step.of(pick("age", "since", "share"), "", 0, 0);
      default ->
          random.nextBoolean()
              ? Step.of("outliers", "", 0, 2)
              : Step.of("band", "", days && random.nextBoolean() ? 86_400_000L : 0, 2);
    };
  }

  private Step ending() {
    return switch (random.nextInt(5)) {
      case 4 -> Step.of("forecast", "", pitch() * 3, 0);
      case 0 ->
          Step.of(pick("top", "bottom"), pick("mean", "max", "last"), 0, 1 + random.nextInt(3));
      case 1 -> Step.of("cumulate", "", 0, 0);
      default -> Step.of("fill", pick("number", "previous", "linear"), 0, 5);
    };
  }

  private double per() {
    return pick(1000.0, 60_000.0, 3_600_000.0);
  }

  private long shift() {
    return days
        ? pick(86_400_000L, 604_800_000L, 172_800_000L, 21_600_000L, 3_600_000L)
        : pick(600_000L, 60_000L, 420_000L, 1_800_000L, 86_400_000L);
  }

  /** Round and odd ones, from a few samples to many. */
  private long pitch() {
    return days
        ? pick(3_600_000L, 7_200_000L, 21_600_000L, 86_400_000L, 604_800_000L, 5_400_000L)
        : pick(30_000L, 60_000L, 300_000L, 600_000L, 900_000L, 3_600_000L, 90_000L, 420_000L);
  }

  long gridPitch() {
    return days
        ? pick(1_200_000L, 3_600_000L, 7_200_000L, 21_600_000L, 86_400_000L)
        : pick(10_000L, 60_000L, 300_000L, 600_000L, 150_000L, 3_600_000L);
  }

  @SafeVarargs
  private <T> T pick(T... of) {
    return of[random.nextInt(of.length)];
  }
}
