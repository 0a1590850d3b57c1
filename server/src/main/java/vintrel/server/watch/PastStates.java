package vintrel.server.watch;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import org.springframework.stereotype.Component;
import vintrel.core.series.Labels;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.StateStrip;
import vintrel.core.watch.WatchState;
import vintrel.server.database.Database;
import vintrel.server.store.LabelText;

/** In which states series were, from their stored transitions. Any thread. */
@Component
class PastStates {
  /** Transitions that are read for one page, the latest ones. */
  static final int MOST = 20_000;

  /** What an answer takes beside its steps, in steps. */
  private static final int ENTRY = 10;

  /** Changes may be on strips so much later, ms. */
  private static final long ROUGH_MS = 5_000;

  private final Database database;

  PastStates(Database database) {
    this.database = database;
  }

  /** A series under a rule. */
  record Key(String rule, Labels labels) {}

  /** What a strip needs of a transition. */
  private record Step(Key key, long at, WatchState from, WatchState to, Priority priority) {}

  /**
   * The strips of all series that changed in a range.
   *
   * @param rule of one rule; empty: of all
   * @param now where strips end, ms
   */
  Map<Key, StateStrip> of(String rule, TimeText.Range range, long now) {
    var out = new HashMap<Key, StateStrip>();
    walk(
        steps(rule, range),
        range,
        now,
        (key, span) ->
            out.computeIfAbsent(key, k -> new StateStrip(range.from(), range.to())).add(span));
    return out;
  }

  /** The strips of rules: at each moment the most urgent state of their series. */
  Map<String, StateStrip> ofRules(TimeText.Range range, long now) {
    var out = new HashMap<String, StateStrip>();
    walk(
        steps("", range),
        range,
        now,
        (key, span) ->
            out.computeIfAbsent(key.rule(), k -> new StateStrip(range.from(), range.to()))
                .add(span));
    return out;
  }

  /** When there were alerts of each priority. */
  Map<Priority, StateStrip> ofPriorities(TimeText.Range range, long now) {
    var out = new EnumMap<Priority, StateStrip>(Priority.class);
    walk(
        steps("", range),
        range,
        now,
        (key, span) -> {
          if (span.priority() != null) {
            out.computeIfAbsent(span.priority(), p -> new StateStrip(range.from(), range.to()))
                .add(span);
          }
        });
    return out;
  }

  /** The alerts of all series on one strip, the most urgent at each place. */
  StateStrip active(TimeText.Range range, long now, int places) {
    var out = new StateStrip(range.from(), range.to(), places);
    walk(
        steps("", range),
        range,
        now,
        (key, span) -> {
          if (span.priority() != null) {
            out.add(span);
          }
        });
    return out;
  }

  /**
   * The stretches of some series of a rule.
   *
   * @param now where the last ones end, ms
   * @return by series; without those that did not change in the range
   */
  Map<Labels, List<Rehearsal.Span>> spans(
      String rule, Set<Labels> series, TimeText.Range range, long now) {
    var out = new HashMap<Labels, List<Rehearsal.Span>>();
    walk(
        steps(rule, range),
        range,
        now,
        (key, span) -> {
          if (series.contains(key.labels())) {
            out.computeIfAbsent(key.labels(), l -> new ArrayList<>()).add(span);
          }
        });
    return out;
  }

  private interface Spans {
    void take(Key key, Rehearsal.Span span);
  }

  /**
   * Each series' stretches. Before its first transition it was in the state that this one left.
   *
   * @param steps by time
   */
  private static void walk(List<Step> steps, TimeText.Range range, long now, Spans into) {
    // Of what is older than the steps that were read, nothing is known.
    long begin = steps.size() < MOST ? range.from() : steps.getFirst().at();
    var last = new HashMap<Key, Step>();
    for (var step : steps) {
      var before = last.put(step.key(), step);
      long from = before == null ? begin : before.at();
      var priority = before == null ? raised(step.from(), step.priority()) : before.priority();
      if (step.at() > from) {
        into.take(step.key(), span(from, step.at(), step.from(), priority));
      }
    }
    long end = Math.min(now, range.to());
    last.forEach(
        (key, step) -> {
          if (end > step.at()) {
            into.take(key, span(step.at(), end, step.to(), step.priority()));
          }
        });
  }

  private static Priority raised(WatchState state, Priority priority) {
    return state.isActive() ? priority : null;
  }

  private static Rehearsal.Span span(long from, long to, WatchState state, Priority priority) {
    return new Rehearsal.Span(from, to, state, raised(state, priority));
  }

  /** Pages ask every few seconds, and many ask for the same. */
  private record Asked(String rule, long from, long to) {}

  private final Cache<Asked, List<Step>> known =
      Caffeine.newBuilder()
          .maximumWeight(6L * MOST)
          .weigher((Asked asked, List<Step> steps) -> ENTRY + steps.size())
          .expireAfterWrite(ROUGH_MS, TimeUnit.MILLISECONDS)
          .build();

  private List<Step> steps(String rule, TimeText.Range range) {
    long from = Math.floorDiv(range.from(), ROUGH_MS) * ROUGH_MS;
    long to = Math.ceilDiv(range.to(), ROUGH_MS) * ROUGH_MS;
    return known.get(new Asked(rule, from, to), k -> read(rule, new TimeText.Range(from, to)));
  }

  private List<Step> read(String rule, TimeText.Range range) {
    return database.with(
        s -> {
          var query =
              s.createSelectionQuery(
                  "from Transition where at >= :from and at < :to"
                      + (rule.isEmpty() ? "" : " and rule = :rule")
                      + " order by at desc, id desc",
                  TransitionRow.class);
          query.setParameter("from", range.from()).setParameter("to", range.to());
          if (!rule.isEmpty()) {
            query.setParameter("rule", rule);
          }
          return query.setMaxResults(MOST).getResultList().reversed().stream()
              .map(PastStates::step)
              .sorted(Comparator.comparingLong(Step::at))
              .toList();
        });
  }

  private static Step step(TransitionRow r) {
    return new Step(
        new Key(r.rule, LabelText.read(r.labels)),
        r.at,
        WatchState.valueOf(r.fromState),
        WatchState.valueOf(r.toState),
        r.priority.isEmpty() ? null : Priority.valueOf(r.priority));
  }
}
