package vintrel.server.watch;

import java.time.Clock;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.core.panel.Watched;
import vintrel.core.query.syntax.Measure;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Labels;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.Rule;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.StateStrip;
import vintrel.server.define.Definitions;

/** Which rules watch what a chart shows, and when they were raised for it. Any thread. */
@Component
public class WatchedLines {
  /** Rules of one line that are looked at, the first by name. */
  private static final int MOST_RULES = 20;

  private final Definitions definitions;
  private final Watcher watcher;
  private final PastStates past;
  private final Clock clock;

  private final AtomicLong changes = new AtomicLong();

  /** The rules by the form of what they measure, as of a number of changes. */
  private volatile Index index = new Index(-1, Map.of());

  WatchedLines(Definitions definitions, Watcher watcher, PastStates past, Clock clock) {
    this.definitions = definitions;
    this.watcher = watcher;
    this.past = past;
    this.clock = clock;
  }

  private record Measured(Rule rule, Measure measure) {}

  private record Index(long changes, Map<String, List<Measured>> byForm) {}

  /**
   * A rule that watches some of the series of a line.
   *
   * @param series those of the rule that are shown
   */
  public record Watching(Rule rule, Set<Labels> series) {}

  /** A panel of a dashboard. */
  public record Place(String dashboard, String title, String panel) {}

  @EventListener
  void changed(Definitions.Changed event) {
    changes.incrementAndGet();
  }

  /**
   * The rules that watch a line, those that are paused among them.
   *
   * @param measure null: none do
   * @param shown labels of the series that the line gave
   */
  public List<Watching> of(Measure measure, Collection<Labels> shown) {
    var out = new ArrayList<Watching>();
    if (measure == null) {
      return out;
    }
    for (var one : index().getOrDefault(measure.form(), List.of())) {
      if (out.size() == MOST_RULES) {
        break;
      }
      var watched = watcher.rule(one.rule.name());
      if (watched != null) {
        var series = one.measure.shownBy(watched.series.keySet(), measure, shown);
        if (!series.isEmpty()) {
          out.add(new Watching(one.rule, series));
        }
      }
    }
    return out;
  }

  /**
   * Panels of dashboards that measure what a rule watches, one of each dashboard, by title. Whether
   * they show a series depends on what is chosen there.
   */
  List<Place> places(Rule rule) {
    var wanted = measure(rule);
    var out = new ArrayList<Place>();
    if (wanted == null) {
      return out;
    }
    for (var dashboard : definitions.dashboards()) {
      dashboard.panels().stream()
          .filter(p -> isOf(wanted, p.query()))
          .findFirst()
          .ifPresent(p -> out.add(new Place(dashboard.name(), dashboard.title(), p.id())));
    }
    out.sort(Comparator.comparing(Place::title));
    return out;
  }

  private static boolean isOf(Measure wanted, String text) {
    try {
      var query = Parser.parse(text);
      return query.lines().stream()
          .filter(l -> !l.hidden())
          .map(l -> Measure.of(query, l.name()))
          .anyMatch(m -> m != null && m.form().equals(wanted.form()));
    } catch (QueryException e) {
      // A panel without lines, or with none that can be read.
      return false;
    }
  }

  private Map<String, List<Measured>> index() {
    // Before the rules are read: what changes meanwhile is read again by the next.
    long asOf = changes.get();
    var now = index;
    if (now.changes == asOf) {
      return now.byForm;
    }
    var out = new HashMap<String, List<Measured>>();
    for (var rule : definitions.rules()) {
      var measure = measure(rule);
      if (measure != null) {
        out.computeIfAbsent(measure.form(), f -> new ArrayList<>())
            .add(new Measured(rule, measure));
      }
    }
    out.values().forEach(list -> list.sort(Comparator.comparing(m -> m.rule.name())));
    index = new Index(asOf, out);
    return out;
  }

  private static Measure measure(Rule rule) {
    try {
      return Measure.of(Parser.parse(rule.query()), rule.line());
    } catch (QueryException e) {
      // One that can't be read watches nothing; the list of rules says so.
      return null;
    }
  }

  /**
   * When they were raised, by time.
   *
   * @param places into which the range is divided: nothing is told apart within one
   */
  public List<Watched.Raised> raised(List<Watching> all, TimeText.Range range, int places) {
    var out = new ArrayList<Watched.Raised>();
    for (var watching : all) {
      var strip = new StateStrip(range.from(), range.to(), places);
      spans(watching, range).forEach(strip::add);
      double wide = (double) (range.to() - range.from()) / places;
      for (var box : strip.boxes()) {
        if (box.state().isActive() && box.priority() != null) {
          out.add(
              new Watched.Raised(
                  range.from() + Math.round(box.x() * wide),
                  range.from() + Math.round((box.x() + box.width()) * wide),
                  box.priority().text(),
                  watching.rule.name(),
                  watching.rule.title()));
        }
      }
    }
    out.sort(Comparator.comparingLong(Watched.Raised::from));
    return joined(out);
  }

  /** An alert that was acknowledged is one stretch still. */
  private static List<Watched.Raised> joined(List<Watched.Raised> all) {
    var last = new HashMap<String, Integer>();
    var out = new ArrayList<Watched.Raised>();
    for (var r : all) {
      var at = last.get(r.rule());
      var before = at == null ? null : out.get(at);
      if (before != null && before.to() == r.from() && before.priority().equals(r.priority())) {
        out.set(at, new Watched.Raised(before.from(), r.to(), r.priority(), r.rule(), r.title()));
      } else {
        last.put(r.rule(), out.size());
        out.add(r);
      }
    }
    return out;
  }

  /** Those of the stored transitions; of what has not changed since, the present state. */
  private List<Rehearsal.Span> spans(Watching watching, TimeText.Range range) {
    long now = clock.millis();
    var name = watching.rule.name();
    // What was before the first change after the range is known from that change.
    var until = new TimeText.Range(range.from(), Math.max(range.to(), now));
    var changed = past.spans(name, watching.series, until, now);
    var out = new ArrayList<Rehearsal.Span>();
    changed.values().forEach(out::addAll);
    var left = new HashSet<>(watching.series);
    left.removeAll(changed.keySet());
    var watched = watcher.rule(name);
    for (var labels : left) {
      var series = watched == null ? null : watched.series.get(labels);
      var state = series == null ? null : series.now().state();
      if (state == null || state.since() == SeriesState.NEVER || state.priority() == null) {
        continue;
      }
      long from = Math.max(state.since(), range.from());
      if (state.state().isActive() && from < now) {
        out.add(new Rehearsal.Span(from, now, state.state(), state.priority()));
      }
    }
    return out;
  }
}
