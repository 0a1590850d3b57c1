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
    var recipients = names(all, Definition.OfRecipient.class);
    var windows = names(all, Definition.OfWindow.class);
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
          var path = "routing %s.routes[%d].".formatted(routing.name(), i);
          unknown(path + "to", "recipient", routes.get(i).recipients(), recipients, faults);
          unknown(path + "hush", "window", routes.get(i).hush(), windows, faults);
        }
      }
    }
    return faults;
  }

  private static void unknown(
      String path,
      String kind,
      Collection<String> named,
      Collection<String> known,
      List<String> faults) {
    for (var name : named) {
      if (!known.contains(name)) {
        faults.add("%s: no %s named `%s`%s".formatted(path, kind, name, known(kind, known)));
      }
    }
  }

  private static HashSet<String> names(
      Collection<Definition> all, Class<? extends Definition> type) {
    var out = new HashSet<String>();
    all.stream().filter(type::isInstance).forEach(d -> out.add(d.name()));
    return out;
  }

  private static String known(String kind, Collection<String> names) {
    return names.isEmpty()
        ? "; there are no " + kind + "s"
        : "; "
            + kind
            + "s: "
            + String.join(", ", names.stream().sorted().limit(10).toList())
            + (names.size() > 10 ? ", …" : "");
  }

  /** The routes that notify a recipient, in words; empty if none does. */
  static List<String> usersOf(Definition removed, Collection<Definition> all) {
    var out = new ArrayList<String>();
    if (removed instanceof Definition.OfRecipient || removed instanceof Definition.OfWindow) {
      boolean isWindow = removed instanceof Definition.OfWindow;
      for (var each : all) {
        if (each instanceof Definition.OfRouting routing) {
          routing.table().routes().stream()
              .filter(r -> (isWindow ? r.hush() : r.recipients()).contains(removed.name()))
              .forEach(r -> out.add("routing %s, row %s".formatted(routing.name(), r.name())));
        }
      }
    }
    return out;
  }
}
