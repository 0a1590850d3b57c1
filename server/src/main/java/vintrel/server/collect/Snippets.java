package vintrel.server.collect;

import java.util.ArrayList;
import java.util.List;

/**
 * What a person copies to connect a source. All read the token from the environment; only the line
 * that sets it shows the token, shortened, and the page copies it whole. Pure; any thread.
 */
final class Snippets {
  private static final String TOKEN_PLACE = "the token of step 2";

  private static final String JAVA =
      """
      // With the variables of the tab Shell, and -javaagent:opentelemetry-javaagent.jar or the SDK.
      Meter meter = GlobalOpenTelemetry.getMeter("berth-planner");
      LongCounter plans =
          meter.counterBuilder("berth.plans").setDescription("Berth plans made").setUnit("{plan}").build();
      plans.add(1, Attributes.of(AttributeKey.stringKey("berth"), "north-2"));\
      """;
  private static final String NODE =
      """
      // npm install @opentelemetry/sdk-node @opentelemetry/api
      // Save as plans.mjs; set the variables of the tab Shell; node plans.mjs
      import { NodeSDK } from '@opentelemetry/sdk-node';
      import { metrics } from '@opentelemetry/api';

      const sdk = new NodeSDK();
      sdk.start();
      const plans = metrics
        .getMeter('berth-planner')
        .createCounter('berth.plans', { description: 'Berth plans made', unit: '{plan}' });
      plans.add(1, { berth: 'north-2' });

      // Values are sent every 15 s, and when a program shuts down: a service does so as it stops.
      await sdk.shutdown();\
      """;

  private Snippets() {}

  /**
   * A text to copy.
   *
   * @param id of its element
   * @param tab where it runs, as the tab is called
   */
  public record Snippet(String id, String tab, String text) {}

  /**
   * What a source may speak, and how it is set up then. Ways with one language have no choice.
   *
   * @param id a word
   */
  public record Language(String id, String title, String about, List<Snippet> snippets) {}

  /**
   * @param base this server's address
   * @param grpc its address for OTLP over gRPC, or empty if that is off
   * @param name of the source, or empty before it has one
   * @param token shortened, or empty before there is one
   */
  static List<Language> of(String way, String base, String grpc, String name, String token) {
    var source = name.isEmpty() ? "berth-planner" : name;
    var export = "export VINTREL_TOKEN='" + (token.isEmpty() ? TOKEN_PLACE : token) + "'\n";
    return switch (way) {
      case "application" -> application(base, grpc, source, export);
      case "value" -> one(new Snippet("send-value", "Shell", export + value(base)));
      case "host" -> one(new Snippet("run-collector", "Shell", export + collector(base)));
      case "events" -> one(new Snippet("send-events", "Shell", export + events(base)));
      case "device" -> one(new Snippet("read-device", "Shell", device(base)));
      case "endpoint" -> one(new Snippet("send-job", "Shell", job(base)));
      default -> List.of();
    };
  }

  private static List<Language> one(Snippet snippet) {
    return List.of(new Language("", "", "", List.of(snippet)));
  }

  private static List<Language> application(
      String base, String grpc, String source, String export) {
    var out = new ArrayList<Language>();
    out.add(
        new Language(
            "http", "OTLP, protobuf", "", otlp("otlp", "http/protobuf", base, source, export)));
    if (!grpc.isEmpty()) {
      out.add(
          new Language(
              "grpc",
              "OTLP, gRPC",
              "No TLS on this port: use it only inside your network or behind a TLS proxy.",
              otlp("grpc", "grpc", grpc, source, export)));
    }
    var json = new ArrayList<>(otlp("json", "http/json", base, source, export));
    json.removeIf(s -> s.tab().equals("Java"));
    json.add(new Snippet("json-request", "curl", export + request(base, source)));
    out.add(
        new Language(
            "json",
            "OTLP, JSON",
            "Not every SDK supports JSON. JSON requests are larger than protobuf.",
            json));
    out.add(new Language("plain", "plain samples", "", plain(base, export)));
    return out;
  }

  /** The same settings wherever a program with an SDK runs. */
  private static List<Snippet> otlp(
      String id, String protocol, String address, String source, String export) {
    var shell =
        export
            + """
            export OTEL_SERVICE_NAME='%s'
            export OTEL_EXPORTER_OTLP_ENDPOINT=%s
            export OTEL_EXPORTER_OTLP_PROTOCOL=%s
            export OTEL_EXPORTER_OTLP_HEADERS=\\
            "Authorization=Bearer%%20$VINTREL_TOKEN"
            export OTEL_METRIC_EXPORT_INTERVAL=15000
            export OTEL_TRACES_EXPORTER=none
            # One for each process that runs at a time; the same after a restart.
            export OTEL_RESOURCE_ATTRIBUTES=service.instance.id="$(hostname)"
            ./start-it\
            """
                .formatted(source.replace("'", "'\\''"), address, protocol);
    var container =
        """
        services:
          app:
            environment:
              OTEL_SERVICE_NAME: '%s'
              OTEL_EXPORTER_OTLP_ENDPOINT: %s
              OTEL_EXPORTER_OTLP_PROTOCOL: %s
              OTEL_EXPORTER_OTLP_HEADERS: Authorization=Bearer%%20${VINTREL_TOKEN}
              OTEL_METRIC_EXPORT_INTERVAL: 15000
              OTEL_TRACES_EXPORTER: none\
        """
            .formatted(source.replace("'", "''"), address, protocol);
    var service =
        """
        # the unit; the file is readable by root alone and holds one line: VINTREL_TOKEN=…
        [Service]
        EnvironmentFile=/etc/vintrel-token.env
        Environment="OTEL_SERVICE_NAME=%s"
        Environment=OTEL_EXPORTER_OTLP_ENDPOINT=%s
        Environment=OTEL_EXPORTER_OTLP_PROTOCOL=%s
        Environment=OTEL_METRIC_EXPORT_INTERVAL=15000
        Environment=OTEL_TRACES_EXPORTER=none
        ExecStart=/bin/sh -c 'OTEL_EXPORTER_OTLP_HEADERS="Authorization=Bearer%%%%20$VINTREL_TOKEN" exec /usr/local/bin/start-it'\
        """
            .formatted(source.replace("\"", "\\\""), address, protocol);
    return List.of(
        new Snippet("send-" + id, "Shell", shell),
        new Snippet(id + "-container", "Container", container),
        new Snippet(id + "-service", "systemd", service),
        new Snippet(id + "-java", "Java", JAVA),
        new Snippet(id + "-node", "Node.js", NODE));
  }

  /** One export, as a program would make it. */
  private static String request(String base, String source) {
    return """
    curl %s/v1/metrics \\
      -H "Authorization: Bearer $VINTREL_TOKEN" -H "Content-Type: application/json" \\
      --data-binary @- <<END
    {"resourceMetrics": [{
      "resource": {"attributes": [
        {"key": "service.name", "value": {"stringValue": "%s"}}]},
      "scopeMetrics": [{"metrics": [{
        "name": "berth.queue.length", "unit": "{ship}",
        "gauge": {"dataPoints": [{
          "timeUnixNano": "$(date +%%s)000000000", "asInt": 4,
          "attributes": [{"key": "berth", "value": {"stringValue": "N2"}}]}]}}]}]}]}
    END\
    """
        .formatted(base, source.replaceAll("[\"\\\\$`]", ""));
  }

  private static List<Snippet> plain(String base, String export) {
    return List.of(
        plain(
            "lines",
            "JSON lines",
            "application/x-ndjson",
            base,
            export,
            """
            {"metric": "berth.queue.length", "value": 4, "unit": "{ship}", "labels": {"berth": "N2"}}
            {"metric": "berth.queue.length", "value": 1, "unit": "{ship}", "labels": {"berth": "N3"}}
            """),
        plain(
            "csv",
            "CSV",
            "text/csv",
            base,
            export,
            """
            time,metric,unit,value,berth
            $(date +%s)000,berth.queue.length,{ship},4,N2
            $(date +%s)000,berth.queue.length,{ship},1,N3
            """),
        plain(
            "page",
            "OpenMetrics",
            "application/openmetrics-text",
            base,
            export,
            """
            # TYPE berth_queue_length gauge
            berth_queue_length{berth="N2"} 4
            berth_queue_length{berth="N3"} 1
            # EOF
            """));
  }

  private static Snippet plain(
      String id, String tab, String type, String base, String export, String body) {
    var text =
        """
        curl %s/api/v1/samples \\
          -H "Authorization: Bearer $VINTREL_TOKEN" \\
          -H "Content-Type: %s" \\
          --data-binary @- <<END
        %sEND\
        """
            .formatted(base, type, body);
    return new Snippet("send-" + id, tab, export + text);
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
