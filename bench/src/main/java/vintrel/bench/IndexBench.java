package vintrel.bench;

import java.util.List;
import java.util.Random;
import java.util.concurrent.TimeUnit;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.Setup;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.runner.Runner;
import org.openjdk.jmh.runner.RunnerException;
import org.openjdk.jmh.runner.options.OptionsBuilder;
import org.openjdk.jmh.runner.options.TimeValue;
import org.openjdk.jmh.runner.options.VerboseMode;
import vintrel.core.index.LabelIndex;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Condition;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;

/** The label index with a million series of six labels. */
@State(Scope.Thread)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.MICROSECONDS)
public class IndexBench {
  private static final String SOME = "site = 's3' and service = 'v7' and version = '1.2'";

  private final LabelIndex index = new LabelIndex();
  private final Condition equal = Parser.parseCondition(SOME);
  private final Condition pattern = Parser.parseCondition(SOME + " and host matches 'h.*[13]'");
  private final Condition alone = Parser.parseCondition("host matches 'h.*[13]'");

  @Setup
  public void fill() {
    var random = new Random(1);
    for (int i = 0; i < 1_000_000; i++) {
      var key = new SeriesKey("m", GrowthBench.labels(i, random));
      index.add(new Series(i, key, MetricKind.GAUGE, ""));
    }
  }

  @Benchmark
  public List<Series> threeEqualities() {
    return index.select("", "m", equal);
  }

  @Benchmark
  public List<Series> andAPattern() {
    return index.select("", "m", pattern);
  }

  @Benchmark
  public List<Series> aPatternAlone() {
    return index.select("", "m", alone);
  }

  @Benchmark
  public List<String> valuesOfALabel() {
    return index.labelValues("site", "", "m", equal);
  }

  static void run() throws RunnerException {
    var options =
        new OptionsBuilder()
            .include(IndexBench.class.getSimpleName())
            .forks(1)
            .jvmArgsAppend("-Xmx3g")
            .warmupIterations(2)
            .warmupTime(TimeValue.seconds(2))
            .measurementIterations(3)
            .measurementTime(TimeValue.seconds(2))
            .verbosity(VerboseMode.SILENT)
            .build();
    System.out.println("| index of 1,000,000 series × 6 labels (JMH) | µs |");
    System.out.println("|---|---|");
    for (var result : new Runner(options).run()) {
      System.out.printf(
          "| %s | %,.0f |%n",
          result.getPrimaryResult().getLabel(), result.getPrimaryResult().getScore());
    }
  }
}
