package vintrel.core.define;

import java.net.URI;
import java.util.List;
import java.util.Map;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Admission;
import vintrel.core.series.Labels;

/** What shapes can't say: texts in other languages. Each returns what is wrong, or null. */
final class Checks {
  /** Characters of an address as deliveries store it. */
  private static final int MAX_ADDRESS = 1_000;

  /** An address, or the reference to one that is kept as a secret. */
  private static final String PATTERN = "(https?|secret)://[^\\s/]+.*";

  static final Shape.Text ADDRESS =
      new Shape.Text(MAX_ADDRESS, PATTERN, "must be an http or https address");

  static final Shape.Text TARGET =
      new Shape.Text(MAX_ADDRESS, PATTERN, "is not an http or https address");

  private static final int MAX_LABELS = 4_000;

  private Checks() {}

  static String query(Object text) {
    try {
      Parser.parse((String) text);
      return null;
    } catch (QueryException e) {
      return "line " + e.line() + ", column " + e.column() + ": " + e.getMessage();
    }
  }

  static String condition(Object text) {
    try {
      Parser.parseCondition((String) text);
      return null;
    } catch (QueryException e) {
      return "column " + e.column() + ": " + e.getMessage();
    }
  }

  /** Labels that a definition gives to others; checked as those that are sent are. */
  @SuppressWarnings("unchecked")
  static String labels(Object map) {
    var labels = (Map<String, String>) map;
    boolean unfit = Admission.fault("a", Labels.of(labels), "") != null;
    return unfit || labels.toString().length() > MAX_LABELS
        ? "have more than %,d characters, or characters that can't be stored".formatted(MAX_LABELS)
        : null;
  }

  /** Headers of requests: names as RFC 9110, 5.6.2, without those that the client sets. */
  @SuppressWarnings("unchecked")
  static String headers(Object map) {
    var headers = (Map<String, String>) map;
    for (var e : headers.entrySet()) {
      if (!e.getKey().matches("[A-Za-z0-9!#$%&'*+.^_`|~-]{1,100}")) {
        return "'" + Checker.cut(e.getKey()) + "' is not the name of a header";
      }
      if (List.of("host", "content-length", "transfer-encoding", "connection")
          .contains(e.getKey().toLowerCase(java.util.Locale.ROOT))) {
        return "the header " + e.getKey() + " can't be set";
      }
      if (e.getValue().length() > MAX_ADDRESS || e.getValue().chars().anyMatch(c -> c < ' ')) {
        return "the header "
            + e.getKey()
            + " has more than %,d characters, or line breaks".formatted(MAX_ADDRESS);
      }
    }
    return headers.size() > 50 ? "has more than 50 headers" : null;
  }

  static boolean isUri(String text) {
    try {
      return URI.create(text).getHost() != null;
    } catch (IllegalArgumentException e) {
      return false;
    }
  }
}
