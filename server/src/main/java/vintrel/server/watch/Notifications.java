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
import vintrel.core.tell.MessageText;
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

  /**
   * A message that is ready.
   *
   * @param labels what the routing table looks at
   * @param series as text, for lists
   */
  record Notice(Rule rule, Labels labels, String series, Change change, MessageText text) {}

  /** That of a transition of a series; null if it is nobody's business. */
  Notice of(Rule rule, Labels labels, Transition t, Fullness fullness) {
    return fullness == Fullness.NONE || !NOTIFIED.contains(t.change())
        ? null
        : new Notice(
            rule,
            routed(rule, labels, t.priority()),
            fullness == Fullness.FULL ? labels.toString() : "",
            t.change(),
            text(rule, labels, t, fullness));
  }

  /** Queues it for everyone whom the routing table names, within the caller's transaction. */
  void queue(StatelessSession s, Notice n) {
    if (n != null) {
      outbox.enqueue(s, n.rule.name(), n.labels, n.series, n.change.text(), n.text);
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
    var table = definitions.routing();
    if (table == null || !NOTIFIED.contains(t.change())) {
      return List.of();
    }
    var known = definitions.recipients();
    var out = new ArrayList<Told>();
    for (var name : table.recipients(routed(rule, labels, t.priority()))) {
      known.stream()
          .filter(r -> r.name().equals(name))
          .findFirst()
          .ifPresent(r -> out.add(new Told(r.title(), r.channels().size())));
    }
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
  Notice registered(Rule rule, int series, long at, Fullness fullness) {
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
  Notice ofRule(Rule rule, Transition t, Fullness fullness) {
    return fullness == Fullness.NONE
        ? null
        : new Notice(
            rule,
            routed(rule, Labels.NONE, null),
            "",
            t.change(),
            text(rule, Labels.NONE, t, fullness));
  }

  private MessageText text(Rule rule, Labels labels, Transition t, Fullness fullness) {
    return fullness == Fullness.FULL
        ? message(rule, labels, t, ZoneOffset.UTC)
        : MessageText.plain(rule, t, link(rule));
  }

  /** The series' labels, the rule's own, and rule and priority themselves. */
  private static Labels routed(Rule rule, Labels labels, Priority priority) {
    Map<String, String> map = new TreeMap<>(labels.asMap());
    map.putAll(rule.labels());
    map.put("rule", rule.name());
    if (priority != null) {
      map.put("priority", priority.text());
    }
    return Labels.of(map);
  }
}
