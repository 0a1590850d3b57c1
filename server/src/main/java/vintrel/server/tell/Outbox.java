package vintrel.server.tell;

import java.time.Clock;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.hibernate.StatelessSession;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Service;
import vintrel.core.series.Admission;
import vintrel.core.series.Labels;
import vintrel.core.tell.AlertKey;
import vintrel.core.tell.Channel;
import vintrel.core.tell.DeliveryPlan;
import vintrel.core.tell.Group;
import vintrel.core.tell.Hush;
import vintrel.core.tell.MessageText;
import vintrel.core.tell.Recipient;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Transition.Change;
import vintrel.server.database.Database;
import vintrel.server.define.Definitions;
import vintrel.server.store.LabelText;

/** Routes messages and queues a delivery for each channel. */
@Service
public class Outbox {
  private static final Logger log = LoggerFactory.getLogger(Outbox.class);

  /** Series of which the latest message is read. */
  private static final int MOST_READ = 10_000;

  private final Definitions definitions;
  private final Database database;
  private final Clock clock;

  Outbox(Definitions definitions, Database database, Clock clock) {
    this.database = database;
    this.definitions = definitions;
    this.clock = clock;
  }

  /** How many messages there were of each rule since a time, ms. */
  public Map<String, Long> countsByRule(long since) {
    var out = new HashMap<String, Long>();
    database
        .with(
            s ->
                s.createSelectionQuery(
                        "select rule, count(*) from Delivery where madeAt >= :since group by rule",
                        Object[].class)
                    .setParameter("since", since)
                    .getResultList())
        .forEach(r -> out.put((String) r[0], ((Number) r[1]).longValue()));
    return out;
  }

  /**
   * The latest message about something.
   *
   * @param words what became of it: notified, not yet, or failed
   */
  public record Latest(String recipient, String words, long at) {}

  /**
   * A message about a series.
   *
   * @param look ok if it was taken, late while it is tried, bad if it was given up
   * @param trouble what came back; empty if it was taken
   */
  public record Sent(
      long id,
      String recipient,
      String channel,
      String change,
      long at,
      String look,
      String trouble) {}

  /** The messages about a series since a time, ms, newest first. */
  public List<Sent> about(String rule, String series, long since, int most) {
    var titles = titles();
    return database.with(
        s ->
            s
                .createSelectionQuery(
                    "from Delivery where (rule = :rule and series = :series and alerts = 1 or"
                        + " alerts > 1 and id in (select deliveryId from DeliveryAlert where alert"
                        + " = :alert)) and madeAt >= :since order by id desc",
                    DeliveryRow.class)
                .setParameter("rule", rule)
                .setParameter("series", series)
                .setParameter("alert", AlertKey.of(rule, series))
                .setParameter("since", since)
                .setMaxResults(most)
                .getResultList()
                .stream()
                .map(r -> sent(r, titles))
                .toList());
  }

  private static Sent sent(DeliveryRow r, Map<String, String> titles) {
    boolean taken = r.state.equals(DeliveryRow.SENT);
    boolean lost = r.state.equals(DeliveryRow.GIVEN_UP);
    var answer = r.answer == null || r.answer.isBlank() ? "" : r.answer + "; ";
    var tries = r.attempts == 1 ? "1 attempt" : r.attempts + " attempts";
    return new Sent(
        r.id,
        titles.getOrDefault(r.recipient, r.recipient),
        r.channel,
        r.change,
        taken && r.doneAt > 0 ? r.doneAt : r.madeAt,
        taken ? "ok" : lost ? "bad" : "late",
        taken
            ? ""
            : lost
                ? "Failed: " + answer + tries
                : r.attempts == 0 ? "Queued" : "Not accepted yet: " + answer + tries);
  }

  private Map<String, String> titles() {
    var out = new HashMap<String, String>();
    definitions.recipients().forEach(r -> out.put(r.name(), r.title()));
    return out;
  }

  /** The latest message about each alert since a time, ms, by {@link AlertKey}. */
  public Map<String, Latest> latest(long since) {
    var titles = titles();
    var out = new HashMap<String, DeliveryRow>();
    database
        .with(
            s ->
                s.createSelectionQuery(
                        "from Delivery where id in (select max(id) from Delivery where madeAt >="
                            + " :since and alerts = 1 group by rule, series) order by id desc",
                        DeliveryRow.class)
                    .setParameter("since", since)
                    .setMaxResults(MOST_READ)
                    .getResultList())
        .forEach(r -> out.putIfAbsent(AlertKey.of(r.rule, r.series), r));
    database
        .with(
            s ->
                s.createSelectionQuery(
                        "select a.alert, d from DeliveryAlert a join Delivery d on d.id ="
                            + " a.deliveryId where a.id in (select max(b.id) from DeliveryAlert b"
                            + " join Delivery e on e.id = b.deliveryId where e.madeAt >= :since"
                            + " group by b.alert)",
                        Object[].class)
                    .setParameter("since", since)
                    .setMaxResults(MOST_READ)
                    .getResultList())
        .forEach(r -> out.merge((String) r[0], (DeliveryRow) r[1], (a, b) -> a.id > b.id ? a : b));
    var named = new HashMap<String, Latest>();
    out.forEach(
        (alert, r) ->
            named.put(
                alert,
                new Latest(
                    titles.getOrDefault(r.recipient, r.recipient),
                    words(r.state),
                    r.doneAt > 0 ? r.doneAt : r.madeAt)));
    return named;
  }

  private static String words(String state) {
    return switch (state) {
      case DeliveryRow.SENT -> "notified";
      case DeliveryRow.GIVEN_UP -> "notification failed";
      default -> "not notified yet,";
    };
  }

  /**
   * Removes messages that were done before a time, ms, with their attempts, in one transaction.
   *
   * @return how many; at most {@code most}
   */
  public int sweep(long before, int most) {
    return database.with(
        s -> {
          var ids =
              s.createSelectionQuery(
                      "select id from Delivery where madeAt < :before and state in (:sent, :lost)"
                          + " order by id",
                      Long.class)
                  .setParameter("before", before)
                  .setParameter("sent", DeliveryRow.SENT)
                  .setParameter("lost", DeliveryRow.GIVEN_UP)
                  .setMaxResults(most)
                  .getResultList();
          if (!ids.isEmpty()) {
            for (var text :
                List.of(
                    "delete from Attempt where deliveryId in :ids",
                    "delete from DeliveryAlert where deliveryId in :ids",
                    "delete from Delivery where id in :ids")) {
              s.createMutationQuery(text).setParameter("ids", ids).executeUpdate();
            }
          }
          return ids.size();
        });
  }

  /**
   * Removes notices of before a time, ms, that no message needs any more, in one transaction.
   *
   * @return how many; at most {@code most}
   */
  public int sweepNotices(long before, int most) {
    return database.with(
        s -> {
          var ids =
              s.createSelectionQuery(
                      "select n.id from Notice n where n.at < :before and n.state in ('DONE',"
                          + " 'DROPPED') and not exists (select 1 from GroupMember m where"
                          + " m.noticeId = n.id) order by n.id",
                      Long.class)
                  .setParameter("before", before)
                  .setMaxResults(most)
                  .getResultList();
          if (!ids.isEmpty()) {
            s.createMutationQuery("delete from Notice where id in :ids")
                .setParameter("ids", ids)
                .executeUpdate();
          }
          return ids.size();
        });
  }

  /**
   * What a transition means for recipients.
   *
   * @param series of the alert; empty for a rule as a whole
   * @param labels what the routing table looks at
   * @param content the fields of templates
   */
  public record Draft(
      String rule,
      String series,
      Labels labels,
      Change change,
      Priority priority,
      long at,
      Map<String, Object> content) {}

  /** Writes a notice within the caller's transaction; it is routed after its commit. */
  public void add(StatelessSession s, Draft d) {
    var row = new NoticeRow();
    row.alert = AlertKey.of(d.rule(), d.series());
    row.rule = d.rule();
    row.series = cut(Admission.whole(d.series()), 2000);
    row.change = d.change().name();
    row.priority = d.priority() == null ? "" : d.priority().name();
    row.at = d.at();
    row.labels = LabelText.write(d.labels());
    row.content = MessageContent.write(d.content());
    row.state = NoticeRow.NEW;
    row.source = "";
    row.verdict = "";
    s.insert(row);
  }

  /** Queues a message of a group on each channel of its recipient. */
  void queue(StatelessSession s, Group.Message message, DeliveryPlan plan) {
    var content = MessageContent.of(s, message);
    for (var send : sends(message.group().recipient(), message.priority(), plan)) {
      var row = row(content, send);
      row.route = message.group().route();
      row.alerts = message.items().size();
      s.insert(row);
      if (row.alerts > 1) {
        for (var item : message.items()) {
          var each = new DeliveryAlertRow();
          each.deliveryId = row.id;
          each.alert = item.member().alert();
          each.change = content.change();
          s.insert(each);
        }
      }
    }
  }

  /** Queues what concerns a rule as a whole. */
  void queueOfRule(
      StatelessSession s, NoticeRow notice, List<DeliveryPlan.Row> rows, DeliveryPlan plan) {
    var content = MessageContent.ofRule(notice);
    for (var each : rows) {
      for (var recipient : each.recipients()) {
        for (var send : sends(recipient, null, plan)) {
          var row = row(content, send);
          row.route = each.route().name();
          s.insert(row);
        }
      }
    }
  }

  private List<DeliveryPlan.Send> sends(String recipient, Priority priority, DeliveryPlan plan) {
    var out = plan.sends(recipient, priority, clock.millis());
    if (out.isEmpty()) {
      log.warn("routing table: recipient {} is not defined", recipient);
    }
    return out;
  }

  /**
   * Queues a test message for each channel of a recipient, whatever the routing table says.
   *
   * @param who asks for it
   */
  void test(StatelessSession session, Recipient recipient, String who) {
    var text =
        new MessageText(
            "TEST: a message to " + recipient.title(),
            who + " sent this message from Vintrel to test the channel. Nothing is wrong.\n");
    var content = new MessageContent("test", "", "test", text);
    var plan = new DeliveryPlan(null, List.of(recipient), Hush.NONE);
    for (var send : plan.sends(recipient.name(), null, clock.millis())) {
      session.insert(row(content, send));
    }
  }

  private static DeliveryRow row(MessageContent content, DeliveryPlan.Send send) {
    var row = new DeliveryRow();
    row.idempotencyKey = UUID.randomUUID().toString();
    row.madeAt = send.at();
    row.rule = content.rule();
    row.series = cut(Admission.whole(content.series()), 2000);
    row.change = content.change();
    row.recipient = send.recipient();
    row.channel = send.channel().kind();
    row.address =
        switch (send.channel()) {
          case Channel.Mail m -> m.address();
          case Channel.Chat c -> c.url();
          case Channel.Webhook w -> w.url();
        };
    row.subject = cut(Admission.whole(content.text().subject()), 1000);
    row.body = cut(Admission.whole(content.text().body()), 20000);
    row.state = DeliveryRow.QUEUED;
    row.nextAt = send.at();
    row.answer = "";
    return row;
  }

  static String cut(String text, int max) {
    return text == null ? "" : text.length() <= max ? text : text.substring(0, max - 1) + "…";
  }
}
