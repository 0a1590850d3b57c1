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
import vintrel.core.tell.Channel;
import vintrel.core.tell.MessageText;
import vintrel.core.tell.Recipient;
import vintrel.server.database.Database;
import vintrel.server.define.Definitions;

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
                    "from Delivery where rule = :rule and series = :series and madeAt >= :since"
                        + " order by id desc",
                    DeliveryRow.class)
                .setParameter("rule", rule)
                .setParameter("series", series)
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

  /** The latest message about each series since a time, ms, by rule, a line break and series. */
  public Map<String, Latest> latest(long since) {
    var titles = titles();
    var out = new HashMap<String, Latest>();
    database
        .with(
            s ->
                s.createSelectionQuery(
                        "from Delivery where id in (select max(id) from Delivery where madeAt >="
                            + " :since group by rule, series) order by id desc",
                        DeliveryRow.class)
                    .setParameter("since", since)
                    .setMaxResults(MOST_READ)
                    .getResultList())
        .forEach(
            r ->
                out.putIfAbsent(
                    r.rule + "\n" + r.series,
                    new Latest(
                        titles.getOrDefault(r.recipient, r.recipient),
                        words(r.state),
                        r.doneAt > 0 ? r.doneAt : r.madeAt)));
    return out;
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
                    "delete from Delivery where id in :ids")) {
              s.createMutationQuery(text).setParameter("ids", ids).executeUpdate();
            }
          }
          return ids.size();
        });
  }

  /**
   * Queues a message for everyone whom the routing table names, within the caller's transaction.
   *
   * @param labels what the routing table looks at
   * @return the names of the recipients
   */
  public List<String> enqueue(
      StatelessSession session,
      String rule,
      Labels labels,
      String series,
      String change,
      MessageText text) {
    var table = definitions.routing();
    if (table == null) {
      return List.of();
    }
    var names = table.recipients(labels);
    var known = definitions.recipients();
    for (var name : names) {
      var recipient = known.stream().filter(r -> r.name().equals(name)).findFirst();
      if (recipient.isEmpty()) {
        log.warn("routing table: recipient {} is not defined", name);
        continue;
      }
      for (var channel : recipient.get().channels()) {
        session.insert(row(rule, series, change, text, name, channel));
      }
    }
    return names;
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
    for (var channel : recipient.channels()) {
      session.insert(row("test", "", "test", text, recipient.name(), channel));
    }
  }

  private DeliveryRow row(
      String rule,
      String series,
      String change,
      MessageText text,
      String recipient,
      Channel channel) {
    long now = clock.millis();
    var row = new DeliveryRow();
    row.idempotencyKey = UUID.randomUUID().toString();
    row.madeAt = now;
    row.rule = rule;
    row.series = cut(Admission.whole(series), 2000);
    row.change = change;
    row.recipient = recipient;
    row.channel = channel.kind();
    row.address =
        switch (channel) {
          case Channel.Mail m -> m.address();
          case Channel.Chat c -> c.url();
          case Channel.Webhook w -> w.url();
        };
    row.subject = cut(Admission.whole(text.subject()), 1000);
    row.body = cut(Admission.whole(text.body()), 20000);
    row.state = DeliveryRow.QUEUED;
    row.nextAt = now;
    row.answer = "";
    return row;
  }

  static String cut(String text, int max) {
    return text == null ? "" : text.length() <= max ? text : text.substring(0, max - 1) + "…";
  }
}
