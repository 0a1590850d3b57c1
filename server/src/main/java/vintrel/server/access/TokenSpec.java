package vintrel.server.access;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Set;
import org.springframework.security.web.util.matcher.IpAddressMatcher;
import vintrel.core.series.Admission;
import vintrel.core.series.Labels;
import vintrel.server.web.TokenCheck.Right;

/**
 * What a new token is to be.
 *
 * @param store that it reads and writes, or empty for all
 * @param networks it may be used from, in CIDR notation; empty: any
 * @param expiresAt ms; 0: never
 * @param maxSamples samples per second; 0: no limit of its own
 * @param maxSeries new series per hour; 0: no limit of its own
 * @param labels that samples and events sent with it get, where they have none of that name
 */
public record TokenSpec(
    String name,
    Set<Right> rights,
    String store,
    List<String> networks,
    long expiresAt,
    int maxSamples,
    int maxSeries,
    Labels labels) {
  /** Names of tokens that are in no list. */
  static final Set<String> RESERVED = Set.of("bootstrap", "this machine");

  private static final int MAX_NETWORKS = 20;
  private static final int MAX_LIMIT = 100_000_000;
  private static final int MAX_LABELS = 20;
  private static final int MAX_LABELS_TEXT = 2_000;

  /** Labels that are part of a metric's form. */
  private static final Set<String> OF_METRICS = Set.of("le", "quantile");

  public TokenSpec {
    rights = Set.copyOf(rights);
    networks = List.copyOf(networks);
  }

  public TokenSpec(String name, Set<Right> rights, String store) {
    this(name, rights, store, List.of(), 0, 0, 0, Labels.NONE);
  }

  /** The same with labels that it adds. */
  public TokenSpec adding(Labels added) {
    return new TokenSpec(name, rights, store, networks, expiresAt, maxSamples, maxSeries, added);
  }

  /**
   * The labels of a text such as {@code site=north-quay, team=operations}; a new line parts them
   * like a comma.
   *
   * @throws IllegalArgumentException if a part of it is not a label, in words
   */
  public static Labels labels(String text) {
    var out = new LinkedHashMap<String, String>();
    for (var part : text.split("[,\\n\\r]+")) {
      if (part.isBlank()) {
        continue;
      }
      int at = part.indexOf('=');
      var name = at < 0 ? "" : part.substring(0, at).strip();
      var value = part.substring(at + 1).strip();
      if (name.isEmpty() || value.isEmpty()) {
        throw new IllegalArgumentException(
            "`" + part.strip() + "` is not a label; write site=north-quay, team=operations");
      }
      if (out.put(name, value) != null) {
        throw new IllegalArgumentException("the label `" + name + "` is there twice");
      }
    }
    return Labels.of(out);
  }

  /** The text that {@link #labels} reads. */
  public static String text(Labels labels) {
    var parts = new ArrayList<String>();
    labels.asMap().forEach((name, value) -> parts.add(name + "=" + value));
    return String.join(", ", parts);
  }

  /** The networks of a text with commas or blanks between them. */
  public static List<String> networks(String text) {
    var out = new ArrayList<String>();
    for (var part : text.split("[,\\s]+")) {
      if (!part.isEmpty()) {
        out.add(part);
      }
    }
    return out;
  }

  /**
   * @throws IllegalArgumentException if a part of it can't be, in words
   */
  TokenSpec checked(long now) {
    var clean = name == null ? "" : name.strip();
    if (clean.isEmpty() || clean.length() > 100 || !Admission.text(clean)) {
      throw new IllegalArgumentException("the token name must have 1 to 100 characters");
    }
    if (RESERVED.contains(clean)) {
      throw new IllegalArgumentException("the name `" + clean + "` is used by the server itself");
    }
    if (!store.isEmpty() && !store.matches("[a-z][a-z0-9-]{0,39}")) {
      throw new IllegalArgumentException(
          "a store name must start with a lower-case letter and have at most 40 lower-case letters,"
              + " digits and hyphens");
    }
    if (rights.isEmpty()) {
      throw new IllegalArgumentException("select at least one permission");
    }
    if (networks.size() > MAX_NETWORKS) {
      throw new IllegalArgumentException("at most " + MAX_NETWORKS + " networks");
    }
    for (var network : networks) {
      if (!isNetwork(network)) {
        throw new IllegalArgumentException(
            "`" + network + "` is not a network; write an address or 10.20.0.0/16");
      }
    }
    if (expiresAt != 0 && expiresAt <= now) {
      throw new IllegalArgumentException("the expiry must be in the future");
    }
    if (maxSamples < 0 || maxSamples > MAX_LIMIT || maxSeries < 0 || maxSeries > MAX_LIMIT) {
      throw new IllegalArgumentException("limits must be 0 (none) to " + MAX_LIMIT);
    }
    checkLabels();
    return new TokenSpec(clean, rights, store, networks, expiresAt, maxSamples, maxSeries, labels);
  }

  private void checkLabels() {
    if (labels.size() > MAX_LABELS || text(labels).length() > MAX_LABELS_TEXT) {
      throw new IllegalArgumentException(
          "a token adds at most %d labels, with %,d characters together"
              .formatted(MAX_LABELS, MAX_LABELS_TEXT));
    }
    if (!Admission.text(text(labels)) || !labels(text(labels)).equals(labels)) {
      throw new IllegalArgumentException(
          "the labels have characters that can't be stored: a comma, a line end, or others");
    }
    for (var name : labels.names()) {
      if (OF_METRICS.contains(name)) {
        throw new IllegalArgumentException(
            "the label `"
                + name
                + "` is reserved for histograms and summaries; choose another name");
      }
    }
  }

  private static boolean isNetwork(String text) {
    // Names are refused: they would be looked up.
    boolean v4 = text.matches("\\d{1,3}(\\.\\d{1,3}){3}(/\\d{1,2})?");
    boolean v6 = text.matches("[0-9a-fA-F:]*:[0-9a-fA-F:.]*(/\\d{1,3})?");
    if (!v4 && !v6) {
      return false;
    }
    try {
      new IpAddressMatcher(text);
      return true;
    } catch (IllegalArgumentException e) {
      return false;
    }
  }
}
