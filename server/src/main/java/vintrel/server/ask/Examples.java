package vintrel.server.ask;

import java.time.Clock;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.springframework.stereotype.Service;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Printer;
import vintrel.core.series.Condition;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.server.store.LogStore;

/** Questions to begin with, made of what is there: fresh metrics of different kinds and names. */
@Service
class Examples {
  private static final int MAX = 6;
  private static final int MAX_GROUPS = 24;
  private static final int LOOKED_AT = 200;
  private static final String BUCKETS = ".bucket";

  private final Catalogue catalogue;
  private final SampleStore store;
  private final LogStore events;
  private final Clock clock;

  Examples(Catalogue catalogue, SampleStore store, LogStore events, Clock clock) {
    this.catalogue = catalogue;
    this.store = store;
    this.events = events;
    this.clock = clock;
  }

  /**
   * A question.
   *
   * @param about what it shows, in words
   */
  record Example(String query, String about) {}

  /** Metrics about collecting itself are not what people ask first. */
  private static final List<String> OWN = List.of("check.", "collector.", "scrape.", "command.");

  /** The kinds of example; no two of one kind follow each other. */
  private enum Sort {
    PACE,
    LEVEL,
    QUANTILE
  }

  List<Example> list() {
    var known =
        catalogue.find("", "").stream()
            .filter(f -> f.stores().contains(SeriesKey.MAIN) && f.metric().series() > 1)
            .filter(f -> clock.millis() - f.newest() < Durations.HOUR)
            .filter(f -> OWN.stream().noneMatch(f.metric().name()::startsWith))
            .sorted(Comparator.comparingInt(f -> f.note().isEmpty() ? 1 : 0))
            .limit(LOOKED_AT)
            .toList();
    var out = new ArrayList<Example>();
    var roots = new HashSet<String>();
    for (boolean more = true; more && out.size() < MAX; ) {
      more = false;
      for (var sort : Sort.values()) {
        more |= next(known, sort, roots, out);
      }
    }
    var chosen = new ArrayList<>(out.subList(0, Math.min(MAX - 1, out.size())));
    if (events.newest() > clock.millis() - Durations.DAY) {
      chosen.add(new Example("events then count every 5m then sum by level", "Events by level"));
    }
    return chosen;
  }

  /** Adds the first metric of a sort whose first name is not there yet. */
  private boolean next(
      List<Catalogue.Found> known, Sort sort, Set<String> roots, List<Example> out) {
    for (var f : known) {
      var name = f.metric().name();
      var root = sort + name.replaceFirst("\\..*", "");
      var label = sort == sort(f) && !roots.contains(root) ? label(f) : null;
      if (label != null) {
        roots.add(root);
        out.add(example(f, sort, label));
        return true;
      }
    }
    return false;
  }

  private static Sort sort(Catalogue.Found f) {
    if (f.metric().name().endsWith(BUCKETS) && f.metric().labels().contains("le")) {
      return Sort.QUANTILE;
    }
    // Start times are not levels: their mean is meaningless.
    boolean time = f.metric().name().endsWith("time");
    return f.metric().kind().cumulative() ? Sort.PACE : time ? null : Sort.LEVEL;
  }

  /** The label whose values make a picture that can be read, or null. */
  private String label(Catalogue.Found f) {
    return f.metric().labels().stream()
        .filter(l -> !l.equals("le"))
        .filter(
            l -> {
              int n = store.catalog().labelValues(l, "", f.metric().name(), Condition.ALL).size();
              return n > 1 && n <= MAX_GROUPS;
            })
        .findFirst()
        .orElse(null);
  }

  private static Example example(Catalogue.Found f, Sort sort, String label) {
    var metric = "\"" + f.metric().name() + "\"";
    var by = "\"" + label + "\"";
    var text =
        switch (sort) {
          case PACE -> metric + " then rate per minute then sum by " + by;
          case LEVEL -> metric + " then mean by " + by;
          case QUANTILE ->
              metric + " then rate then sum by le, " + by + " then quantile 0.95 by " + by;
        };
    var summary =
        f.note().isEmpty()
            ? f.metric().kind().text() + ", " + f.metric().series() + " series"
            : f.note();
    var how =
        switch (sort) {
          case PACE -> ", per minute";
          case LEVEL -> ", mean";
          case QUANTILE -> ", 95th percentile";
        };
    return new Example(Printer.print(Parser.parse(text)), summary.replaceFirst("\\.$", "") + how);
  }
}
