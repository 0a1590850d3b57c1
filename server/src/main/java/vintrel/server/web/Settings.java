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
    Duration retention,
    Duration late,
    Ingest ingest,
    Query query,
    Watch watch,
    Mail mail,
    Outbound outbound) {

  public record Ingest(int mostBytes, int mostWaiting) {}

  public record Query(int mostSeries, long mostSamples, long mostMillis) {}

  public record Watch(int mostSeries) {}

  public record Mail(String host, int port, String from, String username, String password) {}

  public record Outbound(boolean loopback) {}
}
