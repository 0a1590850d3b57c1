package vintrel.server.tell;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.hibernate.StatelessSession;
import vintrel.core.tell.DeliveryPlan;
import vintrel.core.tell.Group;
import vintrel.core.tell.Group.Member;
import vintrel.core.tell.GroupBook;
import vintrel.core.tell.Pacing;
import vintrel.core.watch.Priority;
import vintrel.server.store.LabelText;

/** Groups ↔ their rows, within one transaction. One thread. */
final class GroupStore {
  private static final int AT_ONCE = 500;

  private final StatelessSession session;

  /** As they were read, by their key. */
  private final Map<String, GroupRow> rows = new HashMap<>();

  /** By the id of the group, by alert. */
  private final Map<Long, Map<String, MemberRow>> members = new HashMap<>();

  GroupStore(StatelessSession session) {
    this.session = session;
  }

  /** Those that know some alerts, or could take them, and those that are due. */
  GroupBook load(List<String> alerts, DeliveryPlan plan, List<NoticeRow> notices, long now) {
    var ids = new LinkedHashSet<Long>();
    for (var some : pieces(List.copyOf(new HashSet<>(alerts)))) {
      ids.addAll(
          session
              .createSelectionQuery(
                  "select groupId from GroupMember where alert in :alerts", Long.class)
              .setParameterList("alerts", some)
              .getResultList());
    }
    var found = new ArrayList<GroupRow>();
    for (var some : pieces(List.copyOf(ids))) {
      found.addAll(
          session
              .createSelectionQuery("from AlertGroup where id in :ids", GroupRow.class)
              .setParameterList("ids", some)
              .getResultList());
    }
    for (var some : pieces(List.copyOf(possible(plan, notices)))) {
      found.addAll(
          session
              .createSelectionQuery("from AlertGroup where groupKey in :keys", GroupRow.class)
              .setParameterList("keys", some)
              .getResultList());
    }
    found.addAll(
        session
            .createSelectionQuery(
                "from AlertGroup where nextAt <= :now order by nextAt", GroupRow.class)
            .setParameter("now", now)
            .setMaxResults(AT_ONCE)
            .getResultList());
    found.forEach(r -> rows.putIfAbsent(r.groupKey, r));
    readMembers();
    return book();
  }

  /** The keys of all groups that rows of the table could put these alerts into. */
  private static Set<String> possible(DeliveryPlan plan, List<NoticeRow> notices) {
    var out = new HashSet<String>();
    if (plan.table() == null) {
      return out;
    }
    for (var n : notices) {
      var labels = Router.labels(n.labels);
      for (var route : plan.table().routes()) {
        if (!route.pacing().by().isEmpty() && route.when().test(labels)) {
          for (var recipient : route.recipients()) {
            out.add(Group.key(route.name(), recipient, n.alert, labels, route.pacing()));
          }
        }
      }
    }
    return out;
  }

  private void readMembers() {
    for (var some : pieces(rows.values().stream().map(r -> r.id).toList())) {
      session
          .createSelectionQuery(
              "from GroupMember where groupId in :ids order by id", MemberRow.class)
          .setParameterList("ids", some)
          .getResultList()
          .forEach(m -> members.computeIfAbsent(m.groupId, k -> new HashMap<>()).put(m.alert, m));
    }
  }

  private GroupBook book() {
    var book = new GroupBook();
    rows.forEach(
        (key, r) -> {
          var by = r.groupBy.isEmpty() ? List.<String>of() : List.of(r.groupBy.split("\n"));
          var group =
              new Group(
                  r.route,
                  r.recipient,
                  LabelText.read(r.labels),
                  new Pacing(by, r.firstWait, r.followUp, r.repeatEvery),
                  r.lastAt,
                  r.nextAt);
          members.getOrDefault(r.id, Map.of()).values().stream()
              .sorted(java.util.Comparator.comparing(m -> m.id))
              .forEach(m -> group.restore(member(m)));
          book.restore(group, key);
        });
    return book;
  }

  private static Member member(MemberRow m) {
    return new Member(
        m.alert,
        m.noticeId,
        m.told.isEmpty() ? null : Priority.valueOf(m.told),
        Priority.valueOf(m.priority),
        m.active,
        m.acknowledged,
        m.flaps);
  }

  /** Writes what changed. */
  void save(GroupBook book) {
    book.groups()
        .forEach(
            (key, group) -> {
              if (group.isOver()) {
                delete(rows.get(key));
              } else {
                save(rows.get(key), key, group);
              }
            });
  }

  private void delete(GroupRow row) {
    if (row != null) {
      members.getOrDefault(row.id, Map.of()).values().forEach(session::delete);
      session.delete(row);
    }
  }

  private void save(GroupRow known, String key, Group group) {
    var row = known == null ? new GroupRow() : known;
    row.groupKey = key;
    row.route = group.route();
    row.recipient = group.recipient();
    row.labels = LabelText.write(group.labels());
    row.groupBy = String.join("\n", group.pacing().by());
    row.firstWait = group.pacing().firstWait();
    row.followUp = group.pacing().followUp();
    row.repeatEvery = group.pacing().repeat();
    row.lastAt = group.lastAt();
    row.nextAt = group.nextAt();
    if (known == null) {
      session.insert(row);
    } else {
      session.update(row);
    }
    var before = new HashMap<>(members.getOrDefault(row.id, Map.of()));
    for (var m : group.members()) {
      save(before.remove(m.alert()), row.id, m);
    }
    before.values().forEach(session::delete);
  }

  private void save(MemberRow known, long group, Member m) {
    if (known != null && member(known).equals(m)) {
      return;
    }
    var row = known == null ? new MemberRow() : known;
    row.groupId = group;
    row.alert = m.alert();
    row.noticeId = m.notice();
    row.told = m.told() == null ? "" : m.told().name();
    row.priority = m.priority().name();
    row.active = m.active();
    row.acknowledged = m.acknowledged();
    row.flaps = m.flaps();
    if (known == null) {
      session.insert(row);
    } else {
      session.update(row);
    }
  }

  private static <T> List<List<T>> pieces(List<T> all) {
    var out = new ArrayList<List<T>>();
    for (int i = 0; i < all.size(); i += AT_ONCE) {
      out.add(all.subList(i, Math.min(all.size(), i + AT_ONCE)));
    }
    return out;
  }
}
