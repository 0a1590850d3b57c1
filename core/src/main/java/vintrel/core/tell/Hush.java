package vintrel.core.tell;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import vintrel.core.series.Labels;
import vintrel.core.watch.Priority;

/**
 * Shelves and maintenance windows. A window that rows of the routing table name hushes these rows
 * alone; another one whatever meets its condition. Critical alerts pass unless a hush says that it
 * is for them too. Immutable; any thread.
 */
public final class Hush {
  public static final Hush NONE = new Hush(List.of(), List.of(), List.of());

  /** By their alert. */
  private final Map<String, List<Shelf>> ofAlerts;

  private final List<Shelf> general;
  private final List<Window> windows;
  private final Set<String> named = new HashSet<>();

  /**
   * @param routes whose rows may name windows
   */
  public Hush(List<Shelf> shelves, List<Window> windows, List<Route> routes) {
    this.ofAlerts =
        shelves.stream()
            .filter(s -> !s.alert().isEmpty())
            .collect(Collectors.groupingBy(Shelf::alert));
    this.general = shelves.stream().filter(s -> s.alert().isEmpty()).toList();
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
    for (var shelf : shelves(alert)) {
      if (at >= shelf.from()
          && at < shelf.until()
          && (shelf.critical() || !critical)
          && shelf.when().test(labels)) {
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

  private List<Shelf> shelves(String alert) {
    var own = ofAlerts.get(alert);
    if (own == null) {
      return general;
    }
    var out = new ArrayList<>(own);
    out.addAll(general);
    return out;
  }

  private static Reason later(Reason a, Reason b) {
    return a == null || b.until() > a.until() ? b : a;
  }
}
