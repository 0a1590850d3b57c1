package vintrel.server.collect;

import java.util.List;

/** The inputs of collectors by category, each with what to write. */
final class CollectorCatalogue {
  private CollectorCatalogue() {}

  /** Inputs of one kind of place. */
  public record Category(String title, List<Entry> entries) {}

  /**
   * @param text to add to a configuration
   */
  public record Entry(String title, String about, String text) {}

  static final List<Category> ALL =
      List.of(
          new Category(
              "This host",
              List.of(
                  new Entry("Host", "CPU, memory, disks, network, load", "- input: host\n"),
                  new Entry(
                      "Processes by name",
                      "count, memory, CPU, open files",
                      "- input: host\n"
                          + "  name: processes\n"
                          + "  parts: [system]\n"
                          + "  processes: [java, postgres]\n"))),
          new Category(
              "Endpoints",
              List.of(
                  new Entry(
                      "Metrics endpoint",
                      "OpenMetrics text",
                      "- input: scrape\n  name: gates\n  url: http://localhost:9000/metrics\n"),
                  new Entry(
                      "HTTP check",
                      "status, body, certificate, phases",
                      "- input: http\n"
                          + "  name: booking-page\n"
                          + "  every: 30s\n"
                          + "  url: https://booking.marrowsound.example/\n"
                          + "  contains: Sailings\n"),
                  new Entry(
                      "Other checks",
                      "connection, DNS or certificate",
                      "- input: check\n"
                          + "  name: booking-certificate\n"
                          + "  every: 1h\n"
                          + "  tls: booking.marrowsound.example\n"
                          + "  days-left: 21\n"),
                  new Entry(
                      "Network speed",
                      "download and upload",
                      "- input: speed\n"
                          + "  name: to-north-quay\n"
                          + "  every: 15m\n"
                          + "  download: https://north-quay.marrowsound.example/10mb\n"
                          + "  max-bytes: 10000000\n"))),
          new Category(
              "Databases",
              List.of(
                  new Entry(
                      "SQL statement",
                      "PostgreSQL, MariaDB, MySQL",
                      "- input: sql\n"
                          + "  name: sessions\n"
                          + "  every: 30s\n"
                          + "  url: jdbc:postgresql://localhost/manifest\n"
                          + "  user: reader\n"
                          + "  password: ${MANIFEST_PASSWORD}\n"
                          + "  statement: select state, count(*) as sessions from sessions group by"
                          + " state\n"
                          + "  metric: manifest.sessions\n"))),
          new Category(
              "Devices",
              List.of(
                  new Entry(
                      "MQTT topics",
                      "values by JSON path, labels from the topic",
                      "- input: mqtt\n"
                          + "  name: scanners\n"
                          + "  url: tcp://localhost:1883\n"
                          + "  topics: [quay/+/scanner]\n"
                          + "  topic: quay/{gate}/scanner\n"
                          + "  values: {scanner.battery: battery.level}\n"))),
          new Category(
              "Programs and files",
              List.of(
                  new Entry(
                      "Command",
                      "exit code, numbers, JSON",
                      "- input: command\n"
                          + "  name: backup\n"
                          + "  every: 5m\n"
                          + "  run: [/usr/local/bin/backup-age]\n"
                          + "  format: numbers\n"),
                  new Entry(
                      "Lines of files",
                      "as events; JSON or a pattern",
                      "- input: tail\n"
                          + "  name: manifest-log\n"
                          + "  files: [/var/log/manifest/*.log]\n"
                          + "  format: json\n"))));
}
