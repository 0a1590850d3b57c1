package vintrel.bench;

import java.util.concurrent.TimeUnit;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OperationsPerInvocation;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.Setup;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.infra.Blackhole;
import org.openjdk.jmh.runner.Runner;
import org.openjdk.jmh.runner.RunnerException;
import org.openjdk.jmh.runner.options.OptionsBuilder;
import org.openjdk.jmh.runner.options.TimeValue;
import org.openjdk.jmh.runner.options.VerboseMode;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.Samples;

/** Chunks of the ten kinds of data: bytes a sample, samples encoded and decoded a second. */
@State(Scope.Thread)
@BenchmarkMode(Mode.Throughput)
@OutputTimeUnit(TimeUnit.SECONDS)
public class CodecBench {
  private static final int N = 512;
  private static final int KINDS = 10;

  private final Samples[] samples = new Samples[KINDS];
  private final byte[][] bytes = new byte[KINDS][];

  @Setup
  public void make() {
    for (int i = 0; i < KINDS; i++) {
      samples[i] = Data.chunk(i, N, true);
      bytes[i] = ChunkCodec.encode(samples[i]);
    }
  }

  @Benchmark
  @OperationsPerInvocation(N * KINDS)
  public void encode(Blackhole hole) {
    for (var s : samples) {
      hole.consume(ChunkCodec.encode(s));
    }
  }

  @Benchmark
  @OperationsPerInvocation(N * KINDS)
  public void decode(Blackhole hole) {
    for (var b : bytes) {
      hole.consume(ChunkCodec.decode(b));
    }
  }

  static void run() throws RunnerException {
    System.out.println("| data | bytes a sample, jitter | bytes a sample, even times |");
    System.out.println("|---|---|---|");
    double jitter = 0;
    double even = 0;
    for (int i = 0; i < KINDS; i++) {
      double j = ChunkCodec.encode(Data.chunk(i, N, true)).length / (double) N;
      double e = ChunkCodec.encode(Data.chunk(i, N, false)).length / (double) N;
      System.out.printf("| %s | %.2f | %.2f |%n", Data.METRICS[i], j, e);
      jitter += j / KINDS;
      even += e / KINDS;
    }
    System.out.printf("| mean of the ten | %.2f | %.2f |%n%n", jitter, even);
    var options =
        new OptionsBuilder()
            .include(CodecBench.class.getSimpleName())
            .forks(1)
            .warmupIterations(3)
            .measurementIterations(5)
            .warmupTime(TimeValue.seconds(1))
            .measurementTime(TimeValue.seconds(1))
            .verbosity(VerboseMode.SILENT)
            .build();
    System.out.println("| codec, one core | M samples/s |");
    System.out.println("|---|---|");
    for (var result : new Runner(options).run()) {
      System.out.printf(
          "| %s | %.0f |%n",
          result.getPrimaryResult().getLabel(), result.getPrimaryResult().getScore() / 1e6);
    }
  }
}
