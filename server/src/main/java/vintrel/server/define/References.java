package vintrel.server.define;

import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.List;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;

/** Whether what definitions refer to exists. */
final class References {
  private References() {}

  /**
   * Faults of the documents that are written: each route's recipients must be defined.
   *
   * @param written what is about to be written
   * @param all what is in force afterwards
   */
  static List<String> faults(List<Bundle.Document> written, Collection<Definition> all) {
    var recipients = names(all);
    var faults = new ArrayList<String>();
    for (var document : written) {
      if (document.definition() instanceof Definition.OfCollector collector) {
        // Whoever reads definitions would read it.
        collector
            .config()
            .exposed()
            .forEach(
                field ->
                    faults.add(
                        "collector %s.%s: a secret can't be kept here; write ${NAME} and put it into"
                                .formatted(collector.name(), field)
                            + " the collector's environment"));
      }
      if (document.definition() instanceof Definition.OfRouting routing) {
        var routes = routing.table().routes();
        for (int i = 0; i < routes.size(); i++) {
          for (var to : routes.get(i).recipients()) {
            if (!recipients.contains(to)) {
              faults.add(
                  "routing %s.routes[%d].to: no recipient named `%s`%s"
                      .formatted(routing.name(), i, to, known(recipients)));
            }
          }
        }
      }
    }
    return faults;
  }

  private static HashSet<String> names(Collection<Definition> all) {
    var out = new HashSet<String>();
    all.stream().filter(Definition.OfRecipient.class::isInstance).forEach(d -> out.add(d.name()));
    return out;
  }

  private static String known(Collection<String> names) {
    return names.isEmpty()
        ? "; there are no recipients"
        : "; recipients: "
            + String.join(", ", names.stream().sorted().limit(10).toList())
            + (names.size() > 10 ? ", …" : "");
  }

  /** The routes that notify a recipient, in words; empty if none does. */
  static List<String> usersOf(Definition removed, Collection<Definition> all) {
    var out = new ArrayList<String>();
    if (removed instanceof Definition.OfRecipient) {
      for (var each : all) {
        if (each instanceof Definition.OfRouting routing) {
          routing.table().routes().stream()
              .filter(r -> r.recipients().contains(removed.name()))
              .forEach(r -> out.add("routing %s, row %s".formatted(routing.name(), r.name())));
        }
      }
    }
    return out;
  }
}
