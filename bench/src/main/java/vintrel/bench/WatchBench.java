package vintrel.bench;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.profile.GCProfiler;
import org.openjdk.jmh.runner.Runner;
import org.openjdk.jmh.runner.RunnerException;
import org.openjdk.jmh.runner.options.OptionsBuilder;
import org.openjdk.jmh.runner.options.TimeValue;
import org.openjdk.jmh.runner.options.VerboseMode;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;
import vintrel.core.series.Labels;
import vintrel.core.watch.CheckHistory;
import vintrel.core.watch.CheckResult;
import vintrel.core.watch.Expectations;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.Rule;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.StateMachine;
import vintrel.core.watch.TradeOff;
import vintrel.core.watch.Transition;

/** Checks, rehearsals and trade-offs of rules, without a server. */
@State(Scope.Thread)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.NANOSECONDS)
public class WatchBench {
  private static final int SERIES = 200;
  private static final long STEP = 10_000;
  private static final int A_DAY = (int) (86_400_000 / STEP);
  private static final int DAYS = 7;
  private static final int TIMES = 5;

  private static final String RULE =
      """
      kind: rule
      name: bench
      query: host.cpu.busy
      every: 10s
      limits:
      - {above: %s, priority: critical, on-delay: 5m, deadband: 3}
      - {above: 90, priority: high, on-delay: 2m, deadband: 5, off-delay: 1m}
      """;

  private final Rule rule = rule("98");
  private final StateMachine machine = new StateMachine(rule);
  private final CheckResult[] results = new CheckResult[256];
  private final List<Transition> told = new ArrayList<>();
  private SeriesState state = SeriesState.initial(0, 2);
  private long at;

  public WatchBench() {
    var random = new Random(5);
    for (int i = 0; i < results.length; i++) {
      results[i] = new CheckResult.Value(40 + 10 * random.nextGaussian());
    }
    state = machine.check(state, results[0], 0, told);
  }

  static Rule rule(String critical) {
    var read = Bundle.parse(RULE.formatted(critical)).documents().getFirst().definition();
    return ((Definition.OfRule) read).rule();
  }

  /** A series in Normal whose value is within both limits. */
  @Benchmark
  public SeriesState quiet() {
    at += STEP;
    state = machine.check(state, results[(int) (at / STEP) & 255], at, told);
    return state;
  }

  static void run() throws RunnerException {
    var quiet =
        new Runner(
                new OptionsBuilder()
                    .include(WatchBench.class.getName() + ".quiet")
                    .forks(1)
                    .warmupIterations(3)
                    .measurementIterations(3)
                    .warmupTime(TimeValue.seconds(1))
                    .measurementTime(TimeValue.seconds(1))
                    .addProfiler(GCProfiler.class)
                    .verbosity(VerboseMode.SILENT)
                    .build())
            .runSingle();
    System.out.println("| what | found |");
    System.out.println("|---|---|");
    System.out.printf(
        "| a quiet check, two limits, by the state machine | %.1f ns, %.1f bytes allocated |%n",
        quiet.getPrimaryResult().getScore(),
        quiet.getSecondaryResults().get("gc.alloc.rate.norm").getScore());
    replays();
    BandBench.run();
  }

  /** Busy processors: a daily curve, noise, and a burst for minutes about once a day. */
  private static double[] course(int series, int day) {
    var random = new Random(series * 1_000L + day);
    var out = new double[A_DAY];
    double slow = 0;
    int burst = random.nextInt(A_DAY);
    int until = burst + 6 + random.nextInt(90);
    for (int i = 0; i < A_DAY; i++) {
      slow = 0.99 * slow + random.nextGaussian();
      double v = 45 + 25 * Math.sin(2 * Math.PI * i / A_DAY) + slow + 3 * random.nextGaussian();
      v = i >= burst && i < until ? 92 + 4 * random.nextGaussian() : v;
      out[i] = Math.round(Math.clamp(v, 0, 100) * 10) / 10.0;
    }
    return out;
  }

  private static void replays() {
    var history = new CheckHistory(64L << 20);
    for (int d = 0; d < DAYS; d++) {
      var values = new TreeMap<Labels, double[]>();
      for (int s = 0; s < SERIES; s++) {
        values.put(Labels.of("host", "h" + s), course(s, d));
      }
      history.add((long) d * A_DAY * STEP, STEP, A_DAY, values);
    }
    replays(history, false);
    replays(history, true);
  }

  /** The first time is to warm up. */
  private static void replays(CheckHistory history, boolean told) {
    long to = (long) DAYS * A_DAY * STEP;
    var millis = new double[TIMES];
    int raised = 0;
    for (int i = 0; i < TIMES; i++) {
      var one = rule(String.valueOf(95 + i));
      long begun = System.nanoTime();
      var rehearsal = new Rehearsal(one, 0, to);
      history.replay(List.of(rehearsal), p -> Map.of(), () -> false);
      raised = rehearsal.result().raised();
      millis[i] = (System.nanoTime() - begun) / 1e6;
    }
    print(
        told,
        "| rehearsal of 7 days, 200 series, a check every 10 s, another limit (%,d alerts, history"
            + " of %.1f MB) | %s ms |%n",
        raised,
        history.bytes() / 1e6,
        ends(millis));
    int settings = 0;
    for (int i = 0; i < TIMES; i++) {
      long begun = System.nanoTime();
      var grid =
          TradeOff.of(rule("98"), 1, 100, history, p -> Map.of(), Expectations.NONE, () -> false);
      settings = grid.points().size();
      millis[i] = (System.nanoTime() - begun) / 1e6;
    }
    print(told, "| its trade-off, %d settings | %s ms |%n", settings, ends(millis));
  }

  private static void print(boolean told, String text, Object... values) {
    if (told) {
      System.out.printf(text, values);
    }
  }

  static String ends(double[] millis) {
    var sorted = millis.clone();
    java.util.Arrays.sort(sorted);
    return "%.0f to %.0f".formatted(sorted[0], sorted[sorted.length - 1]);
  }
}
