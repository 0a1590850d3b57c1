package vintrel.server.web;

import java.nio.file.Path;
import java.time.Duration;
import org.springframework.boot.context.properties.ConfigurationProperties;

/**
 * All settings under {@code vintrel}, with their defaults in application.yml.
 *
 * @param site from where this server's checks run
 * @param host whether the machine that the server runs on is watched
 * @param samples whether this one of several servers on a database takes samples
 * @param grpcPort of OTLP over gRPC; 0: off
 * @param proxies a pattern of addresses whose forwarded headers are believed; empty: none
 * @param sessionLength after so long a person signs in again, however busy
 */
@ConfigurationProperties("vintrel")
public record Settings(
    Path data,
    boolean demo,
    boolean train,
    String site,
    boolean host,
    Samples samples,
    int grpcPort,
    String address,
    String proxies,
    Duration sessionLength,
    String bootstrapToken,
    Database database,
    Duration retention,
    Duration late,
    Ingest ingest,
    Events events,
    Query query,
    Watch watch,
    Records records,
    Mail mail,
    Outbound outbound) {

  /** Whether a server takes samples. */
  public enum Samples {
    /** If no other does, or none was heard of lately. */
    AUTO,
    /** It does, or does not start. */
    ALWAYS,
    NEVER
  }

  /** A setting that can be read, and can't be used. */
  static final class Unfit extends IllegalArgumentException {
    private static final long serialVersionUID = 1;

    Unfit(String setting, Object value, String wanted) {
      super("the setting vintrel.%s is `%s`; it must be %s".formatted(setting, value, wanted));
    }
  }

  public Settings {
    if (grpcPort < 0 || grpcPort > MAX_PORT) {
      throw new Unfit("grpc-port", grpcPort, "a port, 1 to 65535, or 0 for none");
    }
    if (retention.compareTo(MIN_RETENTION) < 0) {
      throw new Unfit("retention", retention, "a day or more, such as 30d");
    }
    if (late.isNegative()) {
      throw new Unfit("late", late, "a duration such as 1h, or 0s");
    }
  }

  private static final int MAX_PORT = 65_535;

  /** The pages of rules look back a week. */
  private static final Duration MIN_RECORDS = Duration.ofDays(8);

  private static final Duration MIN_RETENTION = Duration.ofDays(1);

  /**
   * @param url a JDBC URL of PostgreSQL, or empty for the file in the data directory
   */
  public record Database(String url, String username, String password) {}

  /**
   * @param mostBytes of a body of OTLP, unpacked
   * @param mostBodyBytes of any other body, but for imports, which are streams
   * @param maxHeadBytes of runs of samples in memory; 0: a quarter of the heap
   */
  public record Ingest(
      int maxRequestBytes,
      int maxBodyBytes,
      int maxQueuedSamples,
      long reserveBytes,
      long maxHeadBytes,
      int maxSeriesPerMetric,
      int maxNewSeriesPerHour) {}

  /**
   * @param mostRead log records that one question may look at
   * @param mostRows of them that it may have as a table
   */
  public record Events(Duration retention, long maxEventsRead, long maxRows) {}

  /**
   * @param mostWaiting questions that may wait for their turn, of all callers
   * @param mostOfOne of one caller
   * @param waitMillis that one may wait
   * @param memoryBytes that all together may take; 0: by the heap, {@link HeapParts#queries}
   */
  public record Query(
      int maxWaiting,
      int maxPerCaller,
      long waitMillis,
      long memoryBytes,
      int maxSeries,
      long maxSamples,
      long maxMillis,
      long cacheBytes,
      int sqlRows,
      long sqlBytes,
      int sqlSeconds) {}

  /**
   * @param maxSeries that a rule may watch
   * @param flood more alerts than this within ten minutes are a flood
   * @param heartbeat an http or https address that is told while rules are checked; empty: none
   * @param heartbeatEvery how often
   */
  public record Watch(int maxSeries, int flood, String heartbeat, Duration heartbeatEvery) {
    private static final Duration SHORTEST = Duration.ofSeconds(10);

    public Watch {
      heartbeat = heartbeat == null ? "" : heartbeat.strip();
      heartbeatEvery = heartbeatEvery == null ? Duration.ofMinutes(1) : heartbeatEvery;
      if (!heartbeat.isEmpty() && !heartbeat.matches("https?://\\S+")) {
        throw new Unfit("watch.heartbeat", "…", "an http or https address, or empty");
      }
      if (heartbeatEvery.compareTo(SHORTEST) < 0) {
        throw new Unfit("watch.heartbeat-every", heartbeatEvery, "10s or more, such as 1m");
      }
    }
  }

  /**
   * How long records are kept.
   *
   * @param transitions of series, with the notes of people
   * @param messages that were taken or given up, with their attempts
   * @param revisions of definitions; the latest twenty of each stay
   */
  public record Records(Duration transitions, Duration messages, Duration revisions) {
    public Records {
      need("records.transitions", transitions, "400d");
      need("records.messages", messages, "90d");
      need("records.revisions", revisions, "400d");
    }

    private static void need(String setting, Duration value, String usual) {
      if (value != null && value.compareTo(MIN_RECORDS) < 0) {
        throw new Unfit(setting, value, "8 days or more, such as " + usual);
      }
    }
  }

  public record Mail(String host, int port, String from, String username, String password) {}

  /**
   * @param loopback whether this machine's own addresses can be called
   * @param ca a file of certificates in PEM that outgoing calls trust besides the machine's; empty:
   *     none
   */
  public record Outbound(boolean loopback, String ca) {}
}
