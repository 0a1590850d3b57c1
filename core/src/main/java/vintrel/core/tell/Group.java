package vintrel.core.tell;

import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.series.Labels;
import vintrel.core.watch.Priority;

/**
 * What one recipient is sent by one row of alerts that have the grouping labels in common: the
 * first message waits for more alerts to come, the following ones keep a distance, and a message is
 * repeated while somebody should act. An alert that is cleared before it was in a message is in
 * none; one that is cleared and raised again between two messages changes nothing. What is critical
 * goes at once, with all that waits. One thread.
 */
public final class Group {
  /** No time at all. */
  public static final long NEVER = Long.MAX_VALUE;

  /** What a message says of an alert. */
  public enum News {
    RAISED,
    ESCALATED,
    EASED,
    CLEARED,
    STILL_RAISED
  }

  /**
   * What is known of an alert.
   *
   * @param notice the latest that says how it is
   * @param told the priority in the last message that named it; null if none has
   * @param flaps how often it was raised again since then
   */
  public record Member(
      String alert,
      long notice,
      Priority told,
      Priority priority,
      boolean active,
      boolean acknowledged,
      int flaps) {

    News news() {
      if (told == null) {
        return active ? News.RAISED : null;
      }
      if (!active) {
        return News.CLEARED;
      }
      int change = priority.compareTo(told);
      return change == 0 ? null : change < 0 ? News.ESCALATED : News.EASED;
    }

    Member asTold() {
      return new Member(alert, notice, priority, priority, active, acknowledged, 0);
    }
  }

  /** An alert in a message. */
  public record Item(Member member, News news) {}

  /**
   * What is to be sent.
   *
   * @param news the most important of what the items say
   * @param active how many alerts of the group are active then
   */
  public record Message(Group group, News news, Priority priority, List<Item> items, int active) {}

  private final String route;
  private final String recipient;
  private final Labels labels;
  private final Map<String, Member> members = new LinkedHashMap<>();
  private Pacing pacing;
  private long lastAt;
  private long nextAt;

  /**
   * @param labels the grouping labels; without any, the alert's own
   * @param lastAt when its last message was made, ms; {@link #NEVER} if none was
   * @param nextAt when it is looked at again; {@link #NEVER} if nothing is to be sent
   */
  public Group(
      String route, String recipient, Labels labels, Pacing pacing, long lastAt, long nextAt) {
    this.route = route;
    this.recipient = recipient;
    this.labels = labels;
    this.pacing = pacing;
    this.lastAt = lastAt;
    this.nextAt = nextAt;
  }

  /** What tells groups apart. */
  public static String key(String route, String recipient, String alert, Labels labels, Pacing p) {
    var by = p.by().isEmpty() ? alert : common(labels, p).toString();
    return AlertKey.hash(route + "\n" + recipient + "\n" + by);
  }

  static Labels common(Labels labels, Pacing pacing) {
    var out = new java.util.TreeMap<String, String>();
    for (var name : pacing.by()) {
      if (labels.get(name) != null) {
        out.put(name, labels.get(name));
      }
    }
    return Labels.of(out);
  }

  public String route() {
    return route;
  }

  public String recipient() {
    return recipient;
  }

  public Labels labels() {
    return labels;
  }

  public Pacing pacing() {
    return pacing;
  }

  public long lastAt() {
    return lastAt;
  }

  public long nextAt() {
    return nextAt;
  }

  public Collection<Member> members() {
    return members.values();
  }

  /** Adds an alert as it was stored. */
  public void restore(Member member) {
    members.put(member.alert(), member);
  }

  boolean contains(String alert) {
    return members.containsKey(alert);
  }

  /** True if nothing is left to be said of anything. */
  public boolean isOver() {
    return members.isEmpty();
  }

  /** The row may have been edited since. */
  void pace(Pacing now) {
    pacing = now;
  }

  void raise(Notice n) {
    var before = members.get(n.alert());
    members.put(
        n.alert(),
        before == null
            ? new Member(n.alert(), n.id(), null, n.priority(), true, false, 0)
            : new Member(
                n.alert(),
                n.id(),
                before.told(),
                n.priority(),
                true,
                false,
                before.active() ? before.flaps() : before.flaps() + 1));
    schedule(n.at(), n.priority() == Priority.CRITICAL);
  }

  /** Another priority, of an alert that is known here. */
  void reprioritise(Notice n) {
    var m = members.get(n.alert());
    members.put(
        n.alert(),
        new Member(m.alert(), n.id(), m.told(), n.priority(), true, m.acknowledged(), m.flaps()));
    schedule(n.at(), n.priority() == Priority.CRITICAL);
  }

  void clear(Notice n) {
    var m = members.get(n.alert());
    if (m.told() == null) {
      members.remove(n.alert());
    } else {
      members.put(
          n.alert(),
          new Member(m.alert(), n.id(), m.told(), m.priority(), false, false, m.flaps()));
    }
    schedule(n.at(), false);
  }

  void acknowledge(String alert, boolean acknowledged, long at) {
    var m = members.get(alert);
    members.put(
        alert,
        new Member(
            m.alert(), m.notice(), m.told(), m.priority(), m.active(), acknowledged, m.flaps()));
    schedule(at, false);
  }

  /** Until when nothing is sent. */
  private void schedule(long now, boolean urgent) {
    boolean hasNews = members.values().stream().anyMatch(m -> m.news() != null);
    if (!hasNews) {
      nextAt = repeatAt();
    } else if (urgent) {
      nextAt = now;
    } else if (lastAt == NEVER) {
      // The wait began with the first of what waits.
      nextAt = Math.min(nextAt, now + pacing.firstWait());
    } else {
      nextAt = Math.min(nextAt, Math.max(now, lastAt + pacing.followUp()));
    }
  }

  private long repeatAt() {
    boolean waits =
        members.values().stream()
            .anyMatch(m -> m.told() != null && m.active() && !m.acknowledged());
    return pacing.repeat() == 0 || lastAt == NEVER || !waits ? NEVER : lastAt + pacing.repeat();
  }

  /** The message that is due; null if none is. It counts as sent from then on. */
  Message due(long now) {
    if (now < nextAt) {
      return null;
    }
    var items = new ArrayList<Item>();
    for (var m : members.values()) {
      if (m.news() != null) {
        items.add(new Item(m, m.news()));
      }
    }
    if (items.isEmpty() && now >= repeatAt()) {
      for (var m : members.values()) {
        items.add(new Item(m, News.STILL_RAISED));
      }
    }
    if (items.isEmpty()) {
      nextAt = repeatAt();
      return null;
    }
    members.values().removeIf(m -> !m.active());
    members.replaceAll((alert, m) -> m.asTold());
    lastAt = now;
    nextAt = repeatAt();
    return message(items);
  }

  private Message message(List<Item> items) {
    items.sort(
        java.util.Comparator.comparing(Item::news)
            .thenComparing(i -> i.member().priority())
            .thenComparing(i -> i.member().notice()));
    var priority =
        items.stream().map(i -> i.member().priority()).min(Priority::compareTo).orElseThrow();
    return new Message(this, items.getFirst().news(), priority, List.copyOf(items), members.size());
  }
}
