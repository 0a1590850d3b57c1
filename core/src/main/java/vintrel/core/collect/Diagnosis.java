package vintrel.core.collect;

import java.util.regex.Pattern;

/**
 * Why a request that tried to send something failed, at which station, and what to do: for a person
 * who connects a source and waits for the first sample. Judged by the answer and by the first
 * characters of what came. Pure; any thread.
 *
 * @param station the first station that failed
 * @param title what came instead, in a few words
 * @param text what is wrong, a sentence
 * @param remedy what to do, a sentence
 */
public record Diagnosis(Station station, String title, String text, String remedy) {
  private static final String PAGE = "Received OpenMetrics text, not OTLP";

  /** Whether what came could be scraped. */
  public boolean isPage() {
    return title.equals(PAGE);
  }

  /** What a request goes through, in order. */
  public enum Station {
    REACHED,
    TOKEN,
    CONTENT,
    STORED
  }

  /** A line of an exposition page: a comment with a keyword, or a name, maybe labels, a number. */
  private static final Pattern EXPOSITION =
      Pattern.compile(
          "(?s)\\s*(# (TYPE|HELP|UNIT|EOF)\\b.*|[a-zA-Z_:][a-zA-Z0-9_:]*(\\{[^}]*})?"
              + " [-+0-9.eE]+.*)");

  /**
   * @param path of the request
   * @param type its content type
   * @param status of the answer, 400 or more
   * @param reason of the answer, in words
   * @param head the first characters of the body, or empty
   */
  public static Diagnosis of(String path, String type, int status, String reason, String head) {
    return switch (status) {
      case 401 ->
          reason.startsWith("no token")
              ? token(
                  "The request had no token",
                  "It came without the header Authorization.",
                  "Set it to “Bearer $VINTREL_TOKEN”; the variable must be exported before the"
                      + " program starts.")
              : token("Token rejected", sentence(reason), "Use the token of step 2.");
      case 403 -> token("Token lacks the permission", sentence(reason), "Use another token.");
      case 404, 405 ->
          path.equals("/v1/traces")
              ? content(
                  "Received traces, not metrics",
                  "Vintrel stores metrics and events, not traces.",
                  "Switch the exporter of traces off: OTEL_TRACES_EXPORTER=none.")
              : content(
                  "The address is wrong",
                  "Nothing is received at " + path + ".",
                  "Metrics go to /v1/metrics, events to /v1/logs.");
      case 413 -> content("The request is too large", sentence(reason), "Send smaller batches.");
      case 415, 400, 422 -> content(path, type, reason, head);
      case 429 -> stored("Rate limit exceeded", sentence(reason), "Raise the token's limit.");
      case 503 ->
          stored(
              "The server is busy",
              sentence(reason),
              "Senders retry automatically. Check the server's free disk space.");
      default -> stored("The request failed", sentence(reason), "See the server's log.");
    };
  }

  private static Diagnosis content(String path, String type, String reason, String head) {
    if (EXPOSITION.matcher(head).matches()) {
      return content(
          PAGE,
          "It was sent as " + type + " and looks like a page that can be scraped.",
          "Add a scrape job for it, or switch the program's exporter to OTLP.");
    }
    if (head.stripLeading().regionMatches(true, 0, "<!doctype", 0, 9)
        || head.stripLeading().startsWith("<html")) {
      return content(
          "A web page came, not metrics",
          "The body is HTML.",
          "Check what the program sends, and through which proxy.");
    }
    if (path.startsWith("/v1/") && type.startsWith("application/x-protobuf") && !head.isEmpty()) {
      return content(
          "Text came, not protobuf",
          "The content type is protobuf, but the body is text.",
          "Set OTEL_EXPORTER_OTLP_PROTOCOL to http/protobuf, or the content type to"
              + " application/json.");
    }
    return content(
        "Unsupported content",
        sentence(reason),
        path.startsWith("/v1/")
            ? "OTLP is sent as application/x-protobuf or application/json."
            : "Send JSON with metric and value.");
  }

  private static String sentence(String reason) {
    if (reason.isEmpty()) {
      return "The server gave no reason.";
    }
    var text = Character.toUpperCase(reason.charAt(0)) + reason.substring(1);
    return text.endsWith(".") ? text : text + ".";
  }

  private static Diagnosis token(String title, String text, String remedy) {
    return new Diagnosis(Station.TOKEN, title, text, remedy);
  }

  private static Diagnosis content(String title, String text, String remedy) {
    return new Diagnosis(Station.CONTENT, title, text, remedy);
  }

  private static Diagnosis stored(String title, String text, String remedy) {
    return new Diagnosis(Station.STORED, title, text, remedy);
  }
}
