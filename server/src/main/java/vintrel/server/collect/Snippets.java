package vintrel.server.collect;

import java.util.List;

/**
 * What a person copies to connect a source. All read the token from the environment; only the line
 * that sets it shows the token, shortened, and the page copies it whole. Pure; any thread.
 */
final class Snippets {
  private static final String TOKEN_PLACE = "the token of step 1";

  private Snippets() {}

  /**
   * A text to copy.
   *
   * @param id of its element
   * @param tab where it runs, as the tab is called
   */
  public record Snippet(String id, String tab, String text) {}

  /**
   * @param base this server's address
   * @param name of the source, or empty before it has one
   * @param token shortened, or empty before there is one
   */
  static List<Snippet> of(String way, String base, String name, String token) {
    var source = name.isEmpty() ? "berth-planner" : name;
    var export = "export VINTREL_TOKEN='" + (token.isEmpty() ? TOKEN_PLACE : token) + "'\n";
    return switch (way) {
      case "application" -> application(base, source, export);
      case "value" -> List.of(new Snippet("send-value", "Shell", export + value(base)));
      case "host" -> List.of(new Snippet("run-collector", "Shell", export + collector(base)));
      case "events" -> List.of(new Snippet("send-events", "Shell", export + events(base)));
      case "device" -> List.of(new Snippet("read-device", "Shell", device(base)));
      case "endpoint" -> List.of(new Snippet("send-job", "Shell", job(base)));
      default -> List.of();
    };
  }

  private static List<Snippet> application(String base, String source, String export) {
    var shell =
        export
            + """
            export OTEL_SERVICE_NAME='%s'
            export OTEL_EXPORTER_OTLP_ENDPOINT=%s
            export OTEL_EXPORTER_OTLP_PROTOCOL=http/protobuf
            export OTEL_EXPORTER_OTLP_HEADERS="Authorization=Bearer%%20$VINTREL_TOKEN"
            export OTEL_METRIC_EXPORT_INTERVAL=15000
            export OTEL_TRACES_EXPORTER=none
            ./start-it\
            """
                .formatted(source.replace("'", "'\\''"), base);
    var container =
        """
        services:
          app:
            environment:
              OTEL_SERVICE_NAME: '%s'
              OTEL_EXPORTER_OTLP_ENDPOINT: %s
              OTEL_EXPORTER_OTLP_PROTOCOL: http/protobuf
              OTEL_EXPORTER_OTLP_HEADERS: Authorization=Bearer%%20${VINTREL_TOKEN}
              OTEL_METRIC_EXPORT_INTERVAL: 15000
              OTEL_TRACES_EXPORTER: none\
        """
            .formatted(source.replace("'", "''"), base);
    var service =
        """
        # the unit; the file is readable by root alone and holds one line: VINTREL_TOKEN=…
        [Service]
        EnvironmentFile=/etc/vintrel-token.env
        Environment="OTEL_SERVICE_NAME=%s"
        Environment=OTEL_EXPORTER_OTLP_ENDPOINT=%s
        Environment=OTEL_EXPORTER_OTLP_PROTOCOL=http/protobuf
        Environment=OTEL_METRIC_EXPORT_INTERVAL=15000
        Environment=OTEL_TRACES_EXPORTER=none
        ExecStart=/bin/sh -c 'OTEL_EXPORTER_OTLP_HEADERS="Authorization=Bearer%%%%20$VINTREL_TOKEN" exec /usr/local/bin/start-it'\
        """
            .formatted(source.replace("\"", "\\\""), base);
    var java =
        """
        // With the variables of the tab Shell, and -javaagent:opentelemetry-javaagent.jar or the SDK.
        Meter meter = GlobalOpenTelemetry.getMeter("berth-planner");
        LongCounter plans =
            meter.counterBuilder("berth.plans").setDescription("Berth plans made").setUnit("{plan}").build();
        plans.add(1, Attributes.of(AttributeKey.stringKey("berth"), "north-2"));\
        """;
    var node =
        """
        // With the variables of the tab Shell.
        import { NodeSDK } from '@opentelemetry/sdk-node';
        import { metrics } from '@opentelemetry/api';

        new NodeSDK().start();
        const plans = metrics
          .getMeter('berth-planner')
          .createCounter('berth.plans', { description: 'Berth plans made', unit: '{plan}' });
        plans.add(1, { berth: 'north-2' });\
        """;
    return List.of(
        new Snippet("send-otlp", "Shell", shell),
        new Snippet("send-container", "Container", container),
        new Snippet("send-service", "systemd", service),
        new Snippet("send-java", "Java", java),
        new Snippet("send-node", "Node.js", node));
  }

  private static String value(String base) {
    return """
    curl %s/api/v1/samples \\
      -H "Authorization: Bearer $VINTREL_TOKEN" \\
      -d metric=backup.age -d value=3600 \\
      -d unit=s -d host=mi-db-1\
    """
        .formatted(base);
  }

  private static String collector(String base) {
    return """
    java -Xmx48m -XX:+UseSerialGC -XX:TieredStopAtLevel=1 \\
      -jar vintrel-collector.jar --server %s --label site=north-quay\
    """
        .formatted(base);
  }

  private static String device(String base) {
    return """
    # collector.yaml; run it with: vintrel-collector run collector.yaml
    to: %s
    inputs:
    - input: mqtt
      url: tcp://localhost:1883
      topics: [quay/+/scanner]
      topic: quay/{gate}/scanner
      values: {scanner.battery: battery.level, scanner.scans: scans}\
    """
        .formatted(base);
  }

  private static String events(String base) {
    return """
    curl %s/v1/logs \\
      -H "Authorization: Bearer $VINTREL_TOKEN" -H "Content-Type: application/json" \\
      --data-binary @- <<END
    {"resourceLogs": [{
      "resource": {"attributes": [
        {"key": "service.name", "value": {"stringValue": "boarding-gates"}}]},
      "scopeLogs": [{"logRecords": [{
        "timeUnixNano": "$(date +%%s)000000000", "severityText": "ERROR",
        "body": {"stringValue": "ticket refused at north-2"}}]}]}]}
    END\
    """
        .formatted(base);
  }

  private static String job(String base) {
    return """
    curl %s/api/v1/definitions \\
      -H "Authorization: Bearer $VINTREL_TOKEN" \\
      -H "Content-Type: application/yaml" \\
      --data-binary @- <<END
    kind: job
    name: gates
    every: 15s
    targets: [http://nq-gate-1:9100/metrics]
    END\
    """
        .formatted(base);
  }
}
