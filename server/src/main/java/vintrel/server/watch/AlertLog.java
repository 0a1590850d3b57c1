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
      watched.series.forEach(
          (labels, row) -> {
            var alert = alert(watched, labels, row);
            if (alert.state() != WatchState.NORMAL && alert.state() != WatchState.WAITING) {
              out.add(alert);
            }
          });
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
        .flatMap(w -> w.series.entrySet().stream().map(e -> alert(w, e.getKey(), e.getValue())))
        .sorted(Comparator.comparing((Alert a) -> a.labels()))
        .toList();
  }

  /** The alert of an id, or null. */
  public Alert byId(long id) {
    for (var watched : watcher.rules()) {
      for (var e : watched.series.entrySet()) {
        if (e.getValue().id == id) {
          return alert(watched, e.getKey(), e.getValue());
        }
      }
    }
    return null;
  }

  private static Alert alert(WatchedRule watched, Labels labels, WatchedRow row) {
    var rule = watched.rule();
    var state = row.toState();
    var limit = rule.limit(state.priority());
    long last = state.lastValueAt() > 0 ? state.lastValueAt() : state.missingSince();
    boolean absent = state.state().isActive() && Double.isNaN(state.value());
    return new Alert(
        row.id,
        rule,
        labels,
        state.state(),
        limit == null ? null : limit.priority(),
        row.reading,
        limit == null
            ? ""
            : absent
                ? "no data for " + Durations.words(rule.missingAfter())
                : limit.words(rule.unit()),
        row.since,
        row.raisedAt,
        state.missingSince() == 0 ? 0 : Math.max(1, watched.checkedUntil - last));
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

  /** Alerts raised within [from, to), oldest first. */
  public List<Past> raised(long from, long to, int max) {
    return database.with(
        s ->
            s
                .createSelectionQuery(
                    "from Transition where change = 'RAISED' and at >= :from and at < :to order by"
                        + " at",
                    TransitionRow.class)
                .setParameter("from", from)
                .setParameter("to", to)
                .setMaxResults(max)
                .getResultList()
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
