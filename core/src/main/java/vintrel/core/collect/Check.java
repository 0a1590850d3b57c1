package vintrel.core.collect;

import com.google.re2j.Pattern;
import java.util.List;
import java.util.Map;

/**
 * A probe that runs at an interval, and what its result must be. Immutable; any thread.
 *
 * @param every ms between two runs
 * @param timeout ms for one run
 * @param maxDuration a run that takes longer fails, ms; 0: none
 * @param labels of its metrics
 * @param from where it runs: {@link #SERVER}, and names of configurations of collectors, which take
 *     it with their inputs
 * @param paused it does not run
 */
public record Check(
    String name,
    String title,
    Probe probe,
    long every,
    long timeout,
    long maxDuration,
    Map<String, String> labels,
    List<String> from,
    boolean paused) {
  /** This server, among the places from which a check runs. */
  public static final String SERVER = "server";

  public static final List<String> HERE = List.of(SERVER);

  public Check {
    labels = Map.copyOf(labels);
    from = List.copyOf(from);
  }

  /** Whether this server runs it. */
  public boolean isHere() {
    return from.contains(SERVER);
  }

  /** The same, paused or not. */
  public Check paused(boolean now) {
    return new Check(name, title, probe, every, timeout, maxDuration, labels, from, now);
  }

  /** What is probed, and what is expected beside the duration. */
  public sealed interface Probe {
    /** The value of the label {@code kind}. */
    String kind();

    /** What is probed, as pages show it. */
    String address();
  }

  /**
   * A request. Redirects are followed up to a number, each to an address that is allowed.
   *
   * @param headers values may be references to secrets
   * @param status classes such as 2xx, or codes; one of them must be answered
   * @param contains a text that the body must have, or empty
   * @param matches a pattern that some part of the body must match, or null
   * @param daysLeft the certificate must be valid for so long, days; 0: any valid one
   */
  public record Http(
      String url,
      String method,
      Map<String, String> headers,
      List<String> status,
      String contains,
      Pattern matches,
      int redirects,
      int daysLeft)
      implements Probe {
    public static final List<String> ANY_2XX = List.of("2xx");
    public static final int REDIRECTS = 5;

    public Http {
      headers = Map.copyOf(headers);
      status = List.copyOf(status);
    }

    @Override
    public String kind() {
      return "http";
    }

    @Override
    public String address() {
      return url.replaceFirst("(?<=//)[^/@]*@", "");
    }

    boolean accepts(int code) {
      return status.stream()
          .anyMatch(
              s ->
                  s.endsWith("xx")
                      ? code / 100 == s.charAt(0) - '0'
                      : s.equals(String.valueOf(code)));
    }
  }

  /** A connection. */
  public record Tcp(String host, int port) implements Probe {
    @Override
    public String kind() {
      return "tcp";
    }

    @Override
    public String address() {
      return host + ":" + port;
    }
  }

  /**
   * A question for DNS.
   *
   * @param record A, AAAA, CNAME, MX, NS, SRV or TXT
   * @param answer one of the answers must be this, or empty: there must be one
   */
  public record Dns(String host, String record, String answer) implements Probe {
    @Override
    public String kind() {
      return "dns";
    }

    @Override
    public String address() {
      return record + " " + host;
    }
  }

  /** A handshake, and how long the certificate is valid. */
  public record Tls(String host, int port, int daysLeft) implements Probe {
    @Override
    public String kind() {
      return "tls";
    }

    @Override
    public String address() {
      return host + ":" + port;
    }
  }

  /**
   * A statement that reads. Its value is the first number of the first row.
   *
   * @param min the value must be at least this; null: any
   * @param max the value must be at most this; null: any
   */
  public record Sql(String store, String statement, Double min, Double max) implements Probe {
    @Override
    public String kind() {
      return "sql";
    }

    @Override
    public String address() {
      return store;
    }
  }
}
