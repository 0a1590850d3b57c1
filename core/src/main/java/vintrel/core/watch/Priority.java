package vintrel.core.watch;

import java.util.Locale;

/** How urgent; the order is from most to least. */
public enum Priority {
  CRITICAL,
  HIGH,
  MEDIUM,
  LOW;

  public String text() {
    return name().toLowerCase(Locale.ROOT);
  }
}
