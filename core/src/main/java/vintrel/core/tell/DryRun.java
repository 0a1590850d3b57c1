package vintrel.core.tell;

import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.PriorityQueue;
import java.util.TreeMap;

/** Counts the messages that a plan would have made of past notices, by the same groups. */
public final class DryRun {
  private final DeliveryPlan plan;

  public DryRun(DeliveryPlan plan) {
    this.plan = plan;
  }

  private record Due(long at, Group group) {}

  /**
   * Messages by the names of recipients; each counts once, on however many channels it goes.
   *
   * @param notices in any order; those of one time in that of their list
   * @param end ms: what is due later is not counted
   */
  public Map<String, Integer> run(List<Notice> notices, long end) {
    var out = new TreeMap<String, Integer>();
    var book = new GroupBook();
    var queue = new Queue();
    for (var n : notices.stream().sorted(Comparator.comparingLong(Notice::at)).toList()) {
      queue.send(n.at() - 1, out);
      if (n.isOfRule()) {
        for (var row : plan.rows(n.alert(), n.labels(), null, n.at())) {
          row.recipients().forEach(r -> out.merge(r, 1, Integer::sum));
        }
        continue;
      }
      book.take(n, plan).groups().forEach(queue::add);
    }
    queue.send(end, out);
    return out;
  }

  /** Groups by when they are looked at again. */
  private static final class Queue {
    private final PriorityQueue<Due> all = new PriorityQueue<>(Comparator.comparingLong(Due::at));

    /** The entry that counts; earlier ones of the same group are skipped. */
    private final Map<Group, Long> latest = new HashMap<>();

    void add(Group group) {
      long at = group.nextAt();
      if (at == Group.NEVER) {
        latest.remove(group);
      } else if (!Long.valueOf(at).equals(latest.put(group, at))) {
        all.add(new Due(at, group));
      }
    }

    /** Sends what is due until a time, inclusive. */
    void send(long until, Map<String, Integer> into) {
      while (!all.isEmpty() && all.peek().at() <= until) {
        var due = all.poll();
        var group = due.group();
        if (latest.remove(group, due.at())) {
          if (group.due(due.at()) != null) {
            into.merge(group.recipient(), 1, Integer::sum);
          }
          add(group);
        }
      }
    }
  }
}
