package vintrel.core.tell;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import vintrel.core.tell.DeliveryPlan.Row;
import vintrel.core.tell.DeliveryPlan.Verdict;
import vintrel.core.watch.Transition.Change;

/**
 * Groups, and what notices do with them. Whoever was notified of an alert is notified of its end,
 * whatever the routing table says by then. One thread.
 */
public final class GroupBook {
  private final Map<String, Group> byKey = new LinkedHashMap<>();
  private final Map<String, Set<Group>> byAlert = new HashMap<>();

  /**
   * What became of a notice.
   *
   * @param rows of the routing table; empty if it was not asked
   * @param groups which took it
   * @param held what keeps it back until later, or null
   */
  public record Outcome(List<Row> rows, List<Group> groups, Hush.Reason held) {}

  /** Adds one as it was stored, with its members. */
  public void restore(Group group, String key) {
    byKey.put(key, group);
    group.members().forEach(m -> index(m.alert(), group));
  }

  private void index(String alert, Group group) {
    byAlert.computeIfAbsent(alert, k -> new LinkedHashSet<>()).add(group);
  }

  public Map<String, Group> groups() {
    return byKey;
  }

  /** Takes a notice of a series; those of one alert come in order. */
  public Outcome take(Notice n, DeliveryPlan plan) {
    return switch (n.change()) {
      case RAISED -> raised(n, plan);
      case ESCALATED, EASED -> reprioritised(n, plan);
      case CLEARED -> {
        var groups = of(n.alert());
        groups.forEach(g -> g.clear(n));
        yield new Outcome(List.of(), groups, null);
      }
      case ACKNOWLEDGED, TAKEN_BACK -> {
        var groups = of(n.alert());
        boolean acknowledged = n.change() == Change.ACKNOWLEDGED;
        groups.forEach(g -> g.acknowledge(n.alert(), acknowledged, n.at()));
        yield new Outcome(List.of(), groups, null);
      }
      default -> new Outcome(List.of(), List.of(), null);
    };
  }

  private List<Group> of(String alert) {
    return byAlert.getOrDefault(alert, Set.of()).stream().filter(g -> g.contains(alert)).toList();
  }

  private Outcome raised(Notice n, DeliveryPlan plan) {
    var rows = plan.rows(n.alert(), n.labels(), n.priority(), n.at());
    var groups = new ArrayList<Group>();
    Hush.Reason held = null;
    for (var row : rows) {
      if (row.verdict() == Verdict.HUSHED) {
        held = held == null || row.hushed().until() < held.until() ? row.hushed() : held;
      }
      for (var recipient : row.recipients()) {
        var group = group(row.route(), recipient, n);
        group.raise(n);
        groups.add(group);
      }
    }
    return new Outcome(rows, groups, held);
  }

  private Group group(Route route, String recipient, Notice n) {
    var pacing = route.pacing();
    var key = Group.key(route.name(), recipient, n.alert(), n.labels(), pacing);
    var group = byKey.get(key);
    if (group == null || group.isOver()) {
      var labels = Group.common(n.labels(), pacing);
      group = new Group(route.name(), recipient, labels, pacing, Group.NEVER, Group.NEVER);
      byKey.put(key, group);
    }
    group.pace(pacing);
    index(n.alert(), group);
    return group;
  }

  /**
   * A priority that rises may concern rows that it did not before; those who know of the alert hear
   * of its change, unless the alert is hushed by now.
   */
  private Outcome reprioritised(Notice n, DeliveryPlan plan) {
    var known = of(n.alert());
    if (n.change() == Change.ESCALATED) {
      return escalated(n, plan, known);
    }
    known.forEach(g -> g.reprioritise(n));
    return new Outcome(List.of(), known, null);
  }

  private Outcome escalated(Notice n, DeliveryPlan plan, List<Group> known) {
    var rows = plan.rows(n.alert(), n.labels(), n.priority(), n.at());
    var hushed = new LinkedHashSet<String>();
    var groups = new LinkedHashSet<Group>();
    Hush.Reason held = null;
    for (var row : rows) {
      if (row.verdict() == Verdict.HUSHED) {
        hushed.add(row.route().name());
        held = held == null || row.hushed().until() < held.until() ? row.hushed() : held;
      }
    }
    var notified = new LinkedHashSet<String>();
    for (var group : known) {
      if (!hushed.contains(group.route())) {
        group.reprioritise(n);
        groups.add(group);
        notified.add(group.recipient());
      }
    }
    for (var row : rows) {
      for (var recipient : row.recipients()) {
        if (notified.add(recipient)) {
          var group = group(row.route(), recipient, n);
          group.raise(n);
          groups.add(group);
        }
      }
    }
    return new Outcome(rows, List.copyOf(groups), held);
  }

  /** The messages that are due, in the order in which they became so. */
  public List<Group.Message> due(long now) {
    return byKey.values().stream()
        .filter(g -> g.nextAt() <= now)
        .sorted(java.util.Comparator.comparingLong(Group::nextAt))
        .map(g -> g.due(now))
        .filter(java.util.Objects::nonNull)
        .toList();
  }
}
