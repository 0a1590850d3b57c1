package vintrel.core.collect;

import java.util.Locale;

/** Why a page of metrics could not be read, in words. Pure; any thread. */
public final class ScrapeDiagnosis {
  private ScrapeDiagnosis() {}

  /** What is wrong with an answer before its lines are read; empty if nothing is. */
  public static String ofAnswer(int status, String type, String page) {
    if (status != 200) {
      return "the target returned HTTP " + status + meaning(status);
    }
    var begin = page.stripLeading();
    begin = begin.substring(0, Math.min(200, begin.length())).toLowerCase(Locale.ROOT);
    if (type.toLowerCase(Locale.ROOT).startsWith("text/html")
        || begin.startsWith("<!doctype html")
        || begin.startsWith("<html")) {
      return "the target returned a web page, not metrics; check port and path";
    }
    if (begin.startsWith("{") || begin.startsWith("[")) {
      return "the target returned JSON, not OpenMetrics text; check the path";
    }
    return "";
  }

  private static String meaning(int status) {
    return switch (status) {
      case 301, 302, 307, 308 -> "; it redirects, which is not followed: use the final address";
      case 401 -> "; authentication required: add a header, or user:password@ to the URL";
      case 403 -> "; it does not allow this server to read";
      case 404 -> "; check the path";
      case 429 -> "; rate limited by the target: use a longer interval";
      case 502, 503, 504 -> "; its upstream is not responding";
      default -> "";
    };
  }

  /**
   * The words of an exception of a connection.
   *
   * @param timeout ms that the reading may take
   */
  public static String ofFault(Throwable e, long timeout) {
    var message = e.getMessage() == null ? "" : e.getMessage();
    var low = message.toLowerCase(Locale.ROOT);
    if (low.contains("connection refused")) {
      return "connection refused: nothing listens on this port";
    }
    if (low.contains("no complete response")) {
      return "no complete response within " + vintrel.core.unit.Durations.words(timeout);
    }
    if (low.contains("connect timed out") || low.contains("connecttimeout")) {
      return "no connection: the host does not answer; check address and firewall";
    }
    if (low.contains("no route to host") || low.contains("unreachable")) {
      return "no route to the host";
    }
    if (low.contains("unable to find valid certification path") || low.contains("pkix")) {
      return "the certificate is not trusted by this server";
    }
    if (low.contains("no subject alternative") || low.contains("certificate for")) {
      return "the certificate is for a different host name";
    }
    if (low.contains("unsupported or unrecognized ssl message") || low.contains("plaintext")) {
      return "the port does not speak TLS; use http://";
    }
    if (low.contains("failed to respond") || low.contains("connection reset")) {
      return "the target closed the connection without a response";
    }
    return message.isEmpty() ? e.getClass().getSimpleName() : message;
  }
}
