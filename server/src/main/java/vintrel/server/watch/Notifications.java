package vintrel.server.watch;

import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import org.hibernate.StatelessSession;
import org.springframework.stereotype.Component;
import vintrel.core.series.Labels;
import vintrel.core.tell.AlertKey;
import vintrel.core.tell.DeliveryPlan;
import vintrel.core.tell.DryRun;
import vintrel.core.tell.Hush;
import vintrel.core.tell.MessageText;
import vintrel.core.tell.Notice;
import vintrel.core.unit.Durations;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.Rule;
import vintrel.core.watch.Transition;
import vintrel.core.watch.Transition.Change;
import vintrel.core.watch.WatchState;
import vintrel.server.define.Definitions;
import vintrel.server.tell.Outbox;
import vintrel.server.web.Settings;

/**
 * What recipients are told of transitions. A notice is made before the transaction that writes its
 * transition, since its text takes time, and queued within it. Any thread.
 */
@Component
class Notifications {
  private static final Set<Change> NOTIFIED =
      EnumSet.of(Change.RAISED, Change.ESCALATED, Change.EASED, Change.CLEARED);

  private final Outbox outbox;
  private final Definitions definitions;
  private final String address;

  Notifications(Outbox outbox, Definitions definitions, Settings settings) {
    this.outbox = outbox;
    this.definitions = definitions;
    this.address = settings.address().replaceFirst("/+$", "");
  }

  /** How much of a message is written. */
  enum Fullness {
    FULL,
    PLAIN,
    NONE
  }

  /** What is written with a transition; null if it is nobody's business. */
  Outbox.Draft of(Rule rule, Labels labels, Transition t, Fullness fullness) {
    return fullness == Fullness.NONE || !Notice.isRelevant(t.change())
        ? null
        : draft(rule, labels, t, fullness);
  }

  /** Writes it within the caller's transaction; it is routed after the commit. */
  void queue(StatelessSession s, Outbox.Draft draft) {
    if (draft != null) {
      outbox.add(s, draft);
    }
  }

  /**
   * Who is told of something.
   *
   * @param channels by how many
   */
  record Told(String name, int channels) {}

  /** Whom the routing table names for a transition; nobody if it is nobody's business. */
  List<Told> recipients(Rule rule, Labels labels, Rehearsal.Count t) {
    if (!NOTIFIED.contains(t.change())) {
      return List.of();
    }
    var plan = plan();
    var out = new ArrayList<Told>();
    for (var row : plan.rows("", routed(rule, labels, t.priority()), t.priority(), 0)) {
      for (var name : row.recipients()) {
        var known = plan.recipient(name);
        if (known != null) {
          out.add(new Told(known.title(), known.channels().size()));
        }
      }
    }
    return out;
  }

  /** Routes and recipients alone: what is hushed now says nothing about other times. */
  private DeliveryPlan plan() {
    return new DeliveryPlan(definitions.routing(), definitions.recipients(), Hush.NONE);
  }

  /**
   * How many messages there would have been, by the titles of their recipients.
   *
   * @param result with all its transitions, in order for each series
   */
  Map<String, Integer> messages(Rule rule, Rehearsal.Result result) {
    var plan = plan();
    var notices = new ArrayList<Notice>();
    for (var series : result.series()) {
      var alert = AlertKey.of(rule.name(), series.labels().toString());
      for (var t : series.transitions()) {
        if (Notice.isRelevant(t.change())) {
          var labels = routed(rule, series.labels(), t.priority());
          notices.add(new Notice(notices.size(), alert, labels, t.change(), t.priority(), t.at()));
        }
      }
    }
    var out = new TreeMap<String, Integer>();
    new DryRun(plan)
        .run(notices, result.to())
        .forEach(
            (name, count) -> {
              var known = plan.recipient(name);
              if (known != null) {
                out.merge(known.title(), count * known.channels().size(), Integer::sum);
              }
            });
    return out;
  }

  /** The message of a transition, as recipients would get it. */
  MessageText message(Rule rule, Labels labels, Transition t, ZoneId zone) {
    return MessageText.of(MessageText.fields(rule, labels, t, link(rule), zone, false));
  }

  private String link(Rule rule) {
    return address + "/watch/rules/" + rule.name();
  }

  /** That a rule begins its work. */
  Outbox.Draft registered(Rule rule, int series, long at, Fullness fullness) {
    var why =
        "the rule is active: it watches %d series and checks them every %s"
            .formatted(series, Durations.words(rule.every()));
    return ofRule(
        rule,
        new Transition(
            Change.REGISTERED, WatchState.WAITING, WatchState.NORMAL, at, Double.NaN, null, why),
        fullness);
  }

  /** What happens to a rule as a whole; null if nothing is to be told. */
  Outbox.Draft ofRule(Rule rule, Transition t, Fullness fullness) {
    return fullness == Fullness.NONE ? null : draft(rule, Labels.NONE, t, fullness);
  }

  private Outbox.Draft draft(Rule rule, Labels labels, Transition t, Fullness fullness) {
    boolean full = fullness == Fullness.FULL;
    return new Outbox.Draft(
        rule.name(),
        labels.isEmpty() ? "" : labels.toString(),
        routed(rule, full ? labels : Labels.NONE, t.priority()),
        t.change(),
        t.priority(),
        t.at(),
        full
            ? MessageText.fields(rule, labels, t, link(rule), ZoneOffset.UTC, false)
            : MessageText.plainFields(rule, t, link(rule)));
  }

  /** The series' labels, the rule's own, and rule and priority themselves. */
  static Labels routed(Rule rule, Labels labels, Priority priority) {
    Map<String, String> map = new TreeMap<>(labels.asMap());
    map.putAll(rule.labels());
    map.put("rule", rule.name());
    if (priority != null) {
      map.put("priority", priority.text());
    }
    return Labels.of(map);
  }
}
