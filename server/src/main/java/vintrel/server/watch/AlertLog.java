package vintrel.server.watch;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Service;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Rule;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.Transition.Change;
import vintrel.core.watch.WatchState;
import vintrel.server.database.Database;
import vintrel.server.store.LabelText;

/** Current alerts, and their history. */
@Service
public class AlertLog {
  private final Watcher watcher;
  private final Database database;

  AlertLog(Watcher watcher, Database database) {
    this.watcher = watcher;
    this.database = database;
  }

  /**
   * A series under a rule. Times in ms.
   *
   * @param priority null unless a limit is passed
   * @param limit what it passed, in words; the absence of data if that is what raised it
   * @param missingFor how long the latest check found no value; 0 if it found one
   */
  public record Alert(
      long id,
      Rule rule,
      Labels labels,
      WatchState state,
      Priority priority,
      double value,
      String limit,
      long since,
      long raisedAt,
      long missingFor) {
    public boolean acknowledged() {
      return state == WatchState.ACKNOWLEDGED;
    }
  }

  /** A past transition; priority is empty if none is concerned. */
  public record Past(
      String rule,
      Labels labels,
      Change change,
      WatchState from,
      WatchState to,
      long at,
      double value,
      String priority,
      String why) {}

  /** All series that are not normal, most urgent first, then oldest first. */
  public List<Alert> notNormal() {
    var out = new ArrayList<Alert>();
    for (var watched : watcher.rules()) {
      for (var series : watched.series.values()) {
        var alert = alert(watched, series);
        if (alert.state() != WatchState.NORMAL && alert.state() != WatchState.WAITING) {
          out.add(alert);
        }
      }
    }
    out.sort(
        Comparator.comparing((Alert a) -> !a.state().isActive())
            .thenComparing(
                a -> a.priority() == null ? Priority.values().length : a.priority().ordinal())
            .thenComparing(Alert::since));
    return out;
  }

  /** All series of a rule. */
  public List<Alert> of(String rule) {
    return watcher.rules().stream()
        .filter(w -> w.rule().name().equals(rule))
        .flatMap(w -> w.series.values().stream().map(s -> alert(w, s)))
        .sorted(Comparator.comparing((Alert a) -> a.labels()))
        .toList();
  }

  /** How many series a rule watches. */
  int seriesOf(String rule) {
    var watched = watcher.rule(rule);
    return watched == null ? 0 : watched.series.size();
  }

  /** The alert of an id, or null. */
  public Alert byId(long id) {
    for (var watched : watcher.rules()) {
      for (var series : watched.series.values()) {
        if (series.id == id) {
          return alert(watched, series);
        }
      }
    }
    return null;
  }

  private static Alert alert(WatchedRule watched, WatchedSeries series) {
    var rule = watched.rule();
    var now = series.now();
    var state = now.state();
    var limit = state.priority() == null ? null : rule.limit(state.priority());
    long last = now.valueAt() != SeriesState.NEVER ? now.valueAt() : state.missingSince();
    return new Alert(
        series.id,
        rule,
        series.labels,
        state.state(),
        limit == null ? null : limit.priority(),
        now.value(),
        limit == null
            ? ""
            : state.byAbsence() && state.faultSince() != SeriesState.NEVER
                ? "the query fails"
                : state.byAbsence()
                    ? "no data for " + Durations.words(rule.missingAfter())
                    : limit.words(rule.unit()),
        state.since(),
        state.isRaised() ? state.raisedAt() : 0,
        state.isMissing() ? Math.max(1, watched.checkedUntil - last) : 0);
  }

  /** The number of active alerts by priority. */
  public Map<Priority, Integer> lamp() {
    var out = new EnumMap<Priority, Integer>(Priority.class);
    notNormal().stream()
        .filter(a -> a.state().isActive() && a.priority() != null)
        .forEach(a -> out.merge(a.priority(), 1, Integer::sum));
    return out;
  }

  /** Transitions of one series, newest first. */
  public List<Past> history(String rule, Labels labels, int max) {
    return database.with(
        s ->
            s
                .createSelectionQuery(
                    "from Transition where rule = :rule and labels = :labels order by at desc, id"
                        + " desc",
                    TransitionRow.class)
                .setParameter("rule", rule)
                .setParameter("labels", LabelText.write(labels))
                .setMaxResults(max)
                .getResultList()
                .stream()
                .map(AlertLog::past)
                .toList());
  }

  /** Alerts raised within [from, to): the latest, oldest first. */
  public List<Past> raised(long from, long to, int max) {
    return latest("change = 'RAISED'", from, to, max);
  }

  /**
   * How often a series was raised since a time, ms.
   *
   * @param labels null: all series of the rule
   */
  long timesRaised(String rule, Labels labels, long since) {
    return database.with(
        s -> {
          var query =
              s.createSelectionQuery(
                      "select count(*) from Transition where change = 'RAISED' and rule = :rule and"
                          + " at >= :since"
                          + (labels == null ? "" : " and labels = :labels"),
                      Long.class)
                  .setParameter("rule", rule)
                  .setParameter("since", since);
          if (labels != null) {
            query.setParameter("labels", LabelText.write(labels));
          }
          return query.getSingleResult();
        });
  }

  /** When alerts were raised, acknowledged and cleared in [from, to): the latest, oldest first. */
  List<Past> turns(long from, long to, int max) {
    return latest("change in ('RAISED', 'ACKNOWLEDGED', 'CLEARED')", from, to, max);
  }

  private List<Past> latest(String which, long from, long to, int max) {
    return database.with(
        s ->
            s
                .createSelectionQuery(
                    "from Transition where at >= :from and at < :to and "
                        + which
                        + " order by at desc, id desc",
                    TransitionRow.class)
                .setParameter("from", from)
                .setParameter("to", to)
                .setMaxResults(max)
                .getResultList()
                .reversed()
                .stream()
                .map(AlertLog::past)
                .toList());
  }

  private static Past past(TransitionRow r) {
    return new Past(
        r.rule,
        LabelText.read(r.labels),
        Change.valueOf(r.change),
        WatchState.valueOf(r.fromState),
        WatchState.valueOf(r.toState),
        r.at,
        r.reading,
        r.priority,
        r.why);
  }
}
