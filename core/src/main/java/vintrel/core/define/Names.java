package vintrel.core.define;

import java.util.Locale;

/** Names of definitions made of titles. */
public final class Names {
  private static final int MAX = 60;

  private Names() {}

  /** A name as definitions have them: lower-case letters, digits and hyphens. */
  public static String of(String title) {
    var name =
        title.toLowerCase(Locale.ROOT).replaceAll("[^a-z0-9]+", "-").replaceAll("^-+|-+$", "");
    return name.isEmpty()
        ? "unnamed"
        : name.substring(0, Math.min(MAX, name.length())).replaceAll("-+$", "");
  }
}
