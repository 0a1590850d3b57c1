package vintrel.core.collect;

import java.net.URI;
import java.net.URISyntaxException;
import java.util.Locale;

/**
 * An http or https address, parsed once and strictly (RFC 3986): what is checked, stored, shown and
 * called is this object, never the text read by other rules. Pure; any thread.
 *
 * @param uri absolute, with a host, without a fragment
 */
public record HttpAddress(URI uri) {
  /** Characters of an address. */
  public static final int MAX_LENGTH = 4_000;

  /**
   * @throws IllegalArgumentException saying what is wrong, without the address itself, which may
   *     hold a secret
   */
  public static HttpAddress parse(String text) {
    var plain = text.strip();
    if (plain.length() > MAX_LENGTH) {
      throw new IllegalArgumentException(
          "an address has at most %,d characters".formatted(MAX_LENGTH));
    }
    URI uri;
    try {
      uri = new URI(plain).parseServerAuthority();
    } catch (URISyntaxException e) {
      throw new IllegalArgumentException("not a valid http or https address");
    }
    var scheme = uri.getScheme() == null ? "" : uri.getScheme().toLowerCase(Locale.ROOT);
    if (!scheme.equals("http") && !scheme.equals("https")) {
      throw new IllegalArgumentException("an address must start with http:// or https://");
    }
    if (uri.getHost() == null || uri.getHost().isEmpty()) {
      throw new IllegalArgumentException("an address needs a host");
    }
    if (uri.getPort() > 65_535 || uri.getPort() == 0) {
      throw new IllegalArgumentException("the port must be 1 to 65535");
    }
    if (uri.getRawFragment() != null) {
      throw new IllegalArgumentException("an address has no part after #");
    }
    return new HttpAddress(uri);
  }

  /** Whether a text is such an address. */
  public static boolean is(String text) {
    try {
      parse(text);
      return true;
    } catch (IllegalArgumentException e) {
      return false;
    }
  }

  /** Scheme, host and port, as two addresses have them that lead to the same server. */
  public String server() {
    return (uri.getScheme() + "://" + uri.getHost()).toLowerCase(Locale.ROOT) + port();
  }

  private String port() {
    return uri.getPort() < 0 ? "" : ":" + uri.getPort();
  }

  /** Host and port. */
  public String place() {
    return uri.getHost().toLowerCase(Locale.ROOT) + port();
  }

  /** The same without who signs in. */
  public URI withoutUser() {
    if (uri.getRawUserInfo() == null) {
      return uri;
    }
    var query = uri.getRawQuery() == null ? "" : "?" + uri.getRawQuery();
    return URI.create(uri.getScheme() + "://" + uri.getHost() + port() + uri.getRawPath() + query);
  }

  /** What messages and pages may show: no user, no query. */
  public String shown() {
    var text = server() + uri.getRawPath();
    return text.length() > 200 ? text.substring(0, 200) + "…" : text;
  }

  /**
   * What messages may show of a text that should be an address: if it is none, not what may hold a
   * password.
   */
  public static String shown(String text) {
    try {
      return parse(text).shown();
    } catch (IllegalArgumentException e) {
      boolean harmless = text.indexOf('@') < 0 && text.indexOf('?') < 0 && text.indexOf(':') < 0;
      var cut = text.length() > 100 ? text.substring(0, 100) + "…" : text;
      int scheme = text.indexOf("://");
      return harmless ? cut : scheme > 0 && scheme < 10 ? text.substring(0, scheme) + "://…" : "…";
    }
  }
}
