package vintrel.core.tell;

import java.util.HashSet;
import java.util.List;
import java.util.Set;
import vintrel.core.series.Labels;
import vintrel.core.watch.Priority;

/**
 * Shelves and maintenance windows. A window that rows of the routing table name hushes these rows
 * alone; another one whatever meets its condition. Critical alerts pass unless a hush says that it
 * is for them too. Immutable; any thread.
 */
public final class Hush {
  public static final Hush NONE = new Hush(List.of(), List.of(), List.of());

  private final List<Shelf> shelves;
  private final List<Window> windows;
  private final Set<String> named = new HashSet<>();

  /**
   * @param routes whose rows may name windows
   */
  public Hush(List<Shelf> shelves, List<Window> windows, List<Route> routes) {
    this.shelves = List.copyOf(shelves);
    this.windows = List.copyOf(windows);
    routes.forEach(r -> named.addAll(r.hush()));
  }

  /**
   * Why an alert notifies nobody.
   *
   * @param source {@code shelf} and its id, or {@code window} and its name
   * @param why in words
   * @param until ms, exclusive
   */
  public record Reason(String source, String why, long until) {}

  /**
   * What hushes an alert under a row; of several, that which ends last.
   *
   * @return null if nothing does
   */
  public Reason of(String alert, Labels labels, Priority priority, Route route, long at) {
    boolean critical = priority == Priority.CRITICAL;
    Reason found = null;
    for (var shelf : shelves) {
      if (at >= shelf.from()
          && at < shelf.until()
          && (shelf.critical() || !critical)
          && (shelf.alert().isEmpty() ? shelf.when().test(labels) : shelf.alert().equals(alert))) {
        var why =
            "shelved by "
                + shelf.author()
                + (shelf.reason().isEmpty() ? "" : ": " + shelf.reason());
        found = later(found, new Reason("shelf " + shelf.id(), why, shelf.until()));
      }
    }
    for (var window : windows) {
      boolean concerned =
          named.contains(window.name())
              ? route.hush().contains(window.name())
              : !window.whenText().isEmpty();
      if (concerned && (window.critical() || !critical) && window.when().test(labels)) {
        var span = window.schedule().at(at);
        if (span != null) {
          var why = "maintenance window " + window.title();
          found = later(found, new Reason("window " + window.name(), why, span.to()));
        }
      }
    }
    return found;
  }

  private static Reason later(Reason a, Reason b) {
    return a == null || b.until() > a.until() ? b : a;
  }
}
