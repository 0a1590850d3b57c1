package vintrel.core.tell;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import vintrel.core.series.Labels;
import vintrel.core.watch.Priority;

/**
 * Who is notified of an alert by which row, on which channel, when and why: a pure function of the
 * routing table, the recipients, and what hushes. The router, <i>Try it</i>, the dry run and the
 * rehearsal all ask it. Immutable; any thread.
 */
public final class DeliveryPlan {
  private final RoutingTable table;
  private final Map<String, Recipient> recipients = new HashMap<>();
  private final Hush hush;

  /**
   * @param table null if there is none: nobody is notified
   */
  public DeliveryPlan(RoutingTable table, List<Recipient> recipients, Hush hush) {
    this.table = table;
    this.hush = hush;
    recipients.forEach(r -> this.recipients.put(r.name(), r));
  }

  public enum Verdict {
    MATCH("match"),
    NO("no"),
    NOT_REACHED("not reached"),
    HUSHED("hushed");

    private final String text;

    Verdict(String text) {
      this.text = text;
    }

    public String text() {
      return text;
    }
  }

  /**
   * What became of a row.
   *
   * @param why in words
   * @param recipients whom it notifies: without those that a row above notifies already
   * @param hushed what keeps it quiet, or null
   */
  public record Row(
      Route route, Verdict verdict, String why, List<String> recipients, Hush.Reason hushed) {}

  /** Every row of the table, in order, for an alert. */
  public List<Row> rows(String alert, Labels labels, Priority priority, long at) {
    if (table == null) {
      return List.of();
    }
    var out = new ArrayList<Row>();
    Set<String> notified = new LinkedHashSet<>();
    int stopped = -1;
    for (int i = 0; i < table.routes().size(); i++) {
      var route = table.routes().get(i);
      if (stopped >= 0) {
        out.add(row(route, Verdict.NOT_REACHED, "row " + (stopped + 1) + " stops"));
      } else if (!route.when().test(labels)) {
        out.add(row(route, Verdict.NO, Mismatch.words(route.when(), labels)));
      } else {
        out.add(matched(route, alert, labels, priority, at, notified));
        stopped = route.more() ? -1 : i;
      }
    }
    return out;
  }

  private Row matched(
      Route route, String alert, Labels labels, Priority priority, long at, Set<String> notified) {
    var reason = hush.of(alert, labels, priority, route, at);
    if (reason != null) {
      return new Row(route, Verdict.HUSHED, reason.why(), List.of(), reason);
    }
    var to = new ArrayList<String>();
    var twice = new ArrayList<String>();
    for (var name : route.recipients()) {
      (notified.add(name) ? to : twice).add(name);
    }
    var why = twice.isEmpty() ? "" : "a row above notifies " + String.join(", ", titles(twice));
    return new Row(route, Verdict.MATCH, why, to, null);
  }

  private static Row row(Route route, Verdict verdict, String why) {
    return new Row(route, verdict, why, List.of(), null);
  }

  /** The titles of recipients; of one that is not defined, its name. */
  public List<String> titles(List<String> names) {
    return names.stream().map(this::title).toList();
  }

  public String title(String name) {
    var known = recipients.get(name);
    return known == null ? name : known.title();
  }

  /**
   * A message on its way.
   *
   * @param number the place of the channel among its recipient's, from 0
   * @param at ms: not sent before
   * @param why a delay in words; empty if there is none
   */
  public record Send(String recipient, int number, Channel channel, long at, String why) {}

  /** The channels of a recipient on which a message of a priority goes, and when. */
  public List<Send> sends(String recipient, Priority priority, long at) {
    var known = recipients.get(recipient);
    if (known == null) {
      return List.of();
    }
    var out = new ArrayList<Send>();
    for (int i = 0; i < known.channels().size(); i++) {
      out.add(new Send(recipient, i, known.channels().get(i), at, ""));
    }
    return out;
  }

  /** Null if it is not defined. */
  public Recipient recipient(String name) {
    return recipients.get(name);
  }

  /** Null if there is none. */
  public RoutingTable table() {
    return table;
  }
}
