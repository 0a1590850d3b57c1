package vintrel.server.watch;

import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import org.springframework.stereotype.Component;
import vintrel.core.watch.Transition.Change;
import vintrel.server.define.Definitions;
import vintrel.server.tell.Outbox;
import vintrel.server.watch.AlertNotes.Kind;

/** Everything that happened to a series in its order: changes, messages, what people did. */
@Component
class AlertStory {
  private static final int MOST = 200;

  /** Messages beside the chart; the others are in the list. */
  private static final int SHOWN = 8;

  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("EEE d MMM HH:mm:ss", Locale.ENGLISH);

  private final AlertLog log;
  private final AlertNotes notes;
  private final Outbox outbox;
  private final Definitions definitions;

  AlertStory(AlertLog log, AlertNotes notes, Outbox outbox, Definitions definitions) {
    this.log = log;
    this.notes = notes;
    this.outbox = outbox;
    this.definitions = definitions;
  }

  /**
   * An entry.
   *
   * @param kind change, message or note
   * @param shape of a priority; empty
   * @param form of the shape: outlined for what ended
   */
  public record Entry(
      long at, String time, String kind, String what, String text, String shape, String form) {}

  /**
   * A message that was meant for somebody.
   *
   * @param look of its light: ok, late or bad
   * @param trouble why it did not arrive; empty
   */
  public record Told(long id, String to, String change, String time, String look, String trouble) {}

  List<Entry> entries(AlertLog.Alert alert, ZoneId zone) {
    var out = new ArrayList<Entry>();
    for (var p : log.history(alert.rule().name(), alert.labels(), MOST)) {
      boolean shaped =
          switch (p.change()) {
            case RAISED, ESCALATED, EASED, ACKNOWLEDGED, CLEARED -> true;
            default -> false;
          };
      boolean ended = p.change() == Change.ACKNOWLEDGED || p.change() == Change.CLEARED;
      out.add(
          new Entry(
              p.at(),
              text(p.at(), zone),
              "change",
              capital(p.change().text()),
              p.why(),
              shaped ? p.priority().toLowerCase(Locale.ROOT) : "",
              ended ? "outlined" : ""));
    }
    for (var n : notes.of(alert.id(), MOST)) {
      out.add(
          new Entry(n.at(), text(n.at(), zone), "note", what(n.kind()), words(n, zone), "", ""));
    }
    for (var d : outbox.about(alert.rule().name(), alert.labels().toString(), 0, MOST)) {
      out.add(
          new Entry(
              d.at(),
              text(d.at(), zone),
              "message",
              "Message",
              "%s, %s: %s%s"
                  .formatted(
                      d.recipient(),
                      d.channel(),
                      d.change(),
                      d.look().equals("ok") ? "" : "; " + d.trouble()),
              "",
              ""));
    }
    for (var r : definitions.history("rule", alert.rule().name())) {
      out.add(
          new Entry(
              r.at(),
              text(r.at(), zone),
              "change",
              "Rule changed",
              "by " + r.by() + (r.deleted() ? ": deleted" : ""),
              "",
              ""));
    }
    out.sort(Comparator.comparingLong(Entry::at).reversed());
    return out.stream().limit(MOST).toList();
  }

  List<Told> told(AlertLog.Alert alert, ZoneId zone) {
    long since = alert.raisedAt() > 0 ? alert.raisedAt() - 1_000 : 0;
    return outbox.about(alert.rule().name(), alert.labels().toString(), since, SHOWN).stream()
        .map(
            d ->
                new Told(
                    d.id(),
                    d.recipient() + ", " + d.channel(),
                    d.change(),
                    text(d.at(), zone),
                    d.look(),
                    d.trouble()))
        .toList();
  }

  static String text(long at, ZoneId zone) {
    return TIME.format(Instant.ofEpochMilli(at).atZone(zone));
  }

  private static String capital(String word) {
    return word.substring(0, 1).toUpperCase(Locale.ROOT) + word.substring(1);
  }

  private static String what(Kind kind) {
    return switch (kind) {
      case NOTE -> "Note";
      case SHELVED -> "Shelved";
      case UNSHELVED -> "Unshelved";
      case ASSIGNED -> "Assigned";
    };
  }

  private static String words(AlertNotes.Note n, ZoneId zone) {
    return switch (n.kind()) {
      case NOTE -> n.author() + ": " + n.text();
      case SHELVED ->
          "by %s until %s%s"
              .formatted(
                  n.author(), text(n.until(), zone), n.text().isEmpty() ? "" : ": " + n.text());
      case UNSHELVED -> "by " + n.author();
      case ASSIGNED ->
          n.text().isEmpty()
              ? "by %s to nobody".formatted(n.author())
              : "by %s to %s".formatted(n.author(), n.text());
    };
  }

  /** How often a series was raised since a time, and its sisters were. */
  String often(AlertLog.Alert alert, long since) {
    long here = log.timesRaised(alert.rule().name(), alert.labels(), since);
    long elsewhere = log.timesRaised(alert.rule().name(), null, since) - here;
    return "%d× here%s".formatted(here, elsewhere == 0 ? "" : ", " + elsewhere + "× elsewhere");
  }
}
