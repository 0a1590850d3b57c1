package vintrel.server.web;

import java.nio.file.Path;
import java.time.Duration;
import org.springframework.boot.context.properties.ConfigurationProperties;

/** All settings under {@code vintrel}, with their defaults in application.yml. */
@ConfigurationProperties("vintrel")
public record Settings(
    Path data,
    boolean demo,
    boolean train,
    String address,
    String bootstrapToken,
    Database database,
    Duration retention,
    Duration late,
    Ingest ingest,
    Events events,
    Query query,
    Watch watch,
    Mail mail,
    Outbound outbound) {

  /**
   * @param url a JDBC URL of PostgreSQL, or empty for the file in the data directory
   */
  public record Database(String url, String username, String password) {}

  public record Ingest(
      int mostBytes,
      int mostWaiting,
      long reserveBytes,
      int mostSeriesOfMetric,
      int mostNewSeriesAnHour) {}

  /**
   * @param mostRead log records that one question may look at
   * @param mostRows of them that it may have as a table
   */
  public record Events(Duration retention, long mostRead, long mostRows) {}

  public record Query(
      int mostSeries,
      long mostSamples,
      long mostMillis,
      long cacheBytes,
      int sqlRows,
      int sqlSeconds) {}

  public record Watch(int mostSeries) {}

  public record Mail(String host, int port, String from, String username, String password) {}

  public record Outbound(boolean loopback) {}
}
