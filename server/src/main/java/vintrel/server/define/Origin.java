package vintrel.server.define;

import java.util.Locale;

/** Where a change of a definition comes from. */
public enum Origin {
  PAGE,
  FILE,
  API;

  public String text() {
    return name().toLowerCase(Locale.ROOT);
  }
}
