package vintrel.server.collect;

import io.opentelemetry.api.common.AttributeKey;
import io.opentelemetry.api.common.Attributes;
import io.opentelemetry.sdk.autoconfigure.AutoConfiguredOpenTelemetrySdk;
import java.util.concurrent.TimeUnit;

/** An application that is set up by its environment alone, as the page Collect says. */
final class SdkApplication {
  private SdkApplication() {}

  public static void main(String[] args) {
    try (var sdk = AutoConfiguredOpenTelemetrySdk.initialize().getOpenTelemetrySdk()) {
      var gate = Attributes.of(AttributeKey.stringKey("gate"), "north-1");
      sdk.getMeter("boarding").counterBuilder("snippet.scans").build().add(5, gate);
      sdk.getMeter("tickets").counterBuilder("snippet.scans").build().add(3, gate);
      sdk.getMeter("boarding").histogramBuilder("snippet.wait").setUnit("ms").build().record(120);
      sdk.getSdkMeterProvider().forceFlush().join(20, TimeUnit.SECONDS);
    }
  }
}
