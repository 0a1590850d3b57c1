package vintrel.core.define;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import vintrel.core.collect.HttpAddress;
import vintrel.core.collect.LabelRewrite;
import vintrel.core.collect.RewriteText;
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

  /** An address that a page links to: of this site, http or https. */
  static final Shape.Text LINK =
      new Shape.Text(
          MAX_ADDRESS,
          "(https?://[^\\s]+|/([^/\\\\\\s][^\\s]*)?)?",
          "must be an http or https address, or a path of this server");

  /** Codes of HTTP and classes of them. */
  static final Shape.ListOf STATUS =
      new Shape.ListOf(
          new Shape.Text(3, "[1-5]([0-9][0-9]|xx)", "must be a code or a class such as 2xx"),
          1,
          50,
          true,
          "names no status, or more than 50");

  /** The lines of a rewrite; {@link #rewrite} reads them. */
  static final Shape.ListOf REWRITE =
      new Shape.ListOf(
          new Shape.Text(
              2_000,
              "(keep|drop|rename|remove|set) [\\s\\S]*",
              "must begin with keep, drop, rename, remove or set, not '{}'"),
          0,
          RewriteText.MAX_STEPS,
          true,
          "has more than " + RewriteText.MAX_STEPS + " steps");

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

  static String queryOrNone(Object text) {
    return ((String) text).isBlank() ? null : query(text);
  }

  static String zone(Object text) {
    var zone = text.toString();
    return zone.isEmpty() || ZoneId.getAvailableZoneIds().contains(zone)
        ? null
        : "must be a time zone such as Europe/Oslo, not '" + zone + "'";
  }

  static String conditionOrNone(Object text) {
    return text.toString().isBlank() ? null : condition(text);
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

  static String pattern(Object text) {
    try {
      Pattern.compile((String) text);
      return null;
    } catch (PatternSyntaxException e) {
      return "is not a valid pattern: " + e.getMessage();
    }
  }

  /** Steps of a rewrite; a fault for each line that is none. */
  static LabelRewrite rewrite(List<String> lines, String path, List<String> faults) {
    var steps = new ArrayList<LabelRewrite.Step>();
    for (int i = 0; i < lines.size(); i++) {
      try {
        steps.add(RewriteText.parse(lines.get(i)));
      } catch (IllegalArgumentException e) {
        faults.add(path + ".rewrite[%d]: is not a valid step: %s".formatted(i, e.getMessage()));
      }
    }
    return new LabelRewrite(steps);
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
    return HttpAddress.is(text);
  }
}
