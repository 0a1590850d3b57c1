package vintrel.server.collect;

import java.util.List;

/** How data arrives. */
enum Way {
  OTLP("OTLP over HTTP", Category.APPLICATIONS),
  OTLP_GRPC("OTLP over gRPC", Category.APPLICATIONS),
  LINES("JSON lines", Category.APPLICATIONS),
  OPENMETRICS("OpenMetrics push", Category.APPLICATIONS),
  CSV("CSV", Category.BY_HAND),
  SAMPLES("single values", Category.BY_HAND),
  SCRAPE("scrape job", Category.ENDPOINTS),
  COLLECTOR("collector", Category.HOSTS),
  HOST("this server's host input", Category.HOSTS),
  CHECK("check from this server", Category.CHECKS),
  IMPORT("import of files", Category.BY_HAND),
  LOGS("OTLP logs", Category.EVENTS),
  LOGS_GRPC("OTLP logs over gRPC", Category.EVENTS);

  /** The groups of the page, in its order. */
  enum Category {
    APPLICATIONS("Applications (push)"),
    ENDPOINTS("Endpoints that are scraped"),
    HOSTS("Hosts"),
    DEVICES("Devices"),
    CHECKS("Checks"),
    DATABASES("Databases that are queried"),
    BY_HAND("Single values and files"),
    EVENTS("Events");

    final String title;

    Category(String title) {
      this.title = title;
    }

    /** The category of a name in lower case, or another if there is none. */
    static Category named(String name, Category otherwise) {
      for (var c : values()) {
        if (c.name().toLowerCase(java.util.Locale.ROOT).equals(name)) {
          return c;
        }
      }
      return otherwise;
    }
  }

  final String words;
  final Category category;

  /** Whether its format says what kind a metric is. */
  final boolean hasKinds;

  Way(String words, Category category) {
    this.words = words;
    this.category = category;
    this.hasKinds = !List.of("LINES", "CSV", "SAMPLES", "IMPORT").contains(name());
  }

  boolean isEvents() {
    return category == Category.EVENTS;
  }
}
