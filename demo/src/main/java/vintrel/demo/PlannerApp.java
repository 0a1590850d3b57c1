package vintrel.demo;

import io.opentelemetry.api.common.AttributeKey;
import io.opentelemetry.api.common.Attributes;
import io.opentelemetry.api.metrics.DoubleHistogram;
import io.opentelemetry.api.metrics.LongCounter;
import io.opentelemetry.sdk.OpenTelemetrySdk;
import io.opentelemetry.sdk.autoconfigure.AutoConfiguredOpenTelemetrySdk;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;

/**
 * A small application that is instrumented as docs/instrumenting.md says: it plans berths for
 * ships, counts the plans, times them, and says how many ships wait. Set up by the environment
 * variables of OpenTelemetry, which it is given as a map.
 */
final class PlannerApp implements AutoCloseable {
  private static final AttributeKey<String> BERTH = AttributeKey.stringKey("berth");
  private static final AttributeKey<String> RESULT = AttributeKey.stringKey("result");
  private static final List<String> BERTHS = List.of("north-1", "north-2", "mid-1", "south-1");

  private final OpenTelemetrySdk sdk;
  private final LongCounter plans;
  private final DoubleHistogram duration;
  private final AtomicInteger waiting = new AtomicInteger();
  private final Random random = new Random(7);

  /**
   * @param environment such as OTEL_EXPORTER_OTLP_ENDPOINT, by property name
   */
  PlannerApp(Map<String, String> environment) {
    this.sdk =
        AutoConfiguredOpenTelemetrySdk.builder()
            .addPropertiesSupplier(() -> environment)
            .disableShutdownHook()
            .build()
            .getOpenTelemetrySdk();
    var meter = sdk.getMeter("berth-planner");
    this.plans =
        meter
            .counterBuilder("voyage.plans")
            .setDescription("Berth plans made, by berth and result")
            .setUnit("{plan}")
            .build();
    this.duration =
        meter
            .histogramBuilder("voyage.duration")
            .setDescription("Time that a plan takes")
            .setUnit("s")
            .setExplicitBucketBoundariesAdvice(List.of(0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0))
            .build();
    meter
        .gaugeBuilder("voyage.waiting")
        .ofLongs()
        .setDescription("Ships that wait for a berth")
        .setUnit("{ship}")
        .buildWithCallback(m -> m.record(waiting.get()));
  }

  /** The properties of an application that sends here. */
  static Map<String, String> properties(String server, String token) {
    return Map.of(
        "otel.service.name", "berth-planner",
        "otel.resource.attributes",
            "service.instance.id=planner-1,host.name=nq-app-1,deployment.environment=quay,"
                + "process.pid="
                + ProcessHandle.current().pid()
                + ",process.runtime.name=OpenJDK",
        "otel.exporter.otlp.endpoint", server,
        "otel.exporter.otlp.protocol", "http/protobuf",
        "otel.exporter.otlp.headers", "Authorization=Bearer%20" + token,
        "otel.metric.export.interval", "10000",
        "otel.traces.exporter", "none",
        "otel.logs.exporter", "none");
  }

  /** Plans a berth for one ship. */
  void plan() {
    waiting.incrementAndGet();
    long started = System.nanoTime();
    var berth = BERTHS.get(random.nextInt(BERTHS.size()));
    boolean found = random.nextInt(20) > 0;
    // Looking for a berth takes some time.
    double looking = 0.015 + Math.abs(random.nextGaussian()) * 0.03;
    var attributes = Attributes.of(BERTH, berth, RESULT, found ? "ok" : "none free");
    plans.add(1, attributes);
    duration.record((System.nanoTime() - started) / 1e9 + looking, Attributes.of(BERTH, berth));
    waiting.addAndGet(found ? -waiting.get() : 0);
  }

  /** Sends what was measured. */
  boolean flush() {
    return sdk.getSdkMeterProvider().forceFlush().join(20, TimeUnit.SECONDS).isSuccess();
  }

  @Override
  public void close() {
    sdk.close();
  }
}
