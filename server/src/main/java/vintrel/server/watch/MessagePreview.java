package vintrel.server.watch;

import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.regex.Pattern;
import vintrel.core.series.Labels;
import vintrel.core.tell.MessageText;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.Rule;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.Transition;
import vintrel.core.watch.Transition.Change;
import vintrel.core.watch.WatchState;

/** The messages of a rule, filled from transitions of its rehearsal. */
final class MessagePreview {
  private static final DateTimeFormatter DAY =
      DateTimeFormatter.ofPattern("EEE d MMM HH:mm", Locale.ENGLISH);

  private static final List<Change> SHOWN =
      List.of(
          Change.RAISED,
          Change.ESCALATED,
          Change.EASED,
          Change.CLEARED,
          Change.NO_DATA,
          Change.FAULT);

  /** {@code {{labels.host}}}, also as a section. */
  private static final Pattern LABEL = Pattern.compile("\\{\\{\\{?[#^/&]?\\s*labels\\.([\\w.]+)");

  private MessagePreview() {}

  /**
   * A message of a kind of transition.
   *
   * @param sample of what it was filled with, in words
   * @param to whom the routing table of today sends it, in words
   * @param sent whether it is sent to anybody
   */
  public record Sample(
      String change,
      String shape,
      String subject,
      String body,
      String sample,
      String to,
      boolean sent) {}

  static List<Sample> of(
      Rule rule, Rehearsal.Result result, Notifications notifications, ZoneId zone) {
    var out = new ArrayList<Sample>();
    for (var change : SHOWN) {
      out.add(of(rule, result, change, notifications, zone));
    }
    return out;
  }

  private record Real(Labels labels, Transition transition) {}

  private static Sample of(
      Rule rule, Rehearsal.Result result, Change change, Notifications notifications, ZoneId zone) {
    var real =
        result.series().stream()
            .sorted(Comparator.comparingLong(s -> -s.longest()))
            .flatMap(
                s ->
                    s.transitions().stream()
                        .filter(t -> t.change() == change)
                        .map(t -> new Real(s.labels(), t)))
            .findFirst()
            .orElse(null);
    var one = real == null ? madeUp(rule, result, change) : real;
    var t = one.transition();
    var text = notifications.message(rule, one.labels(), t, zone);
    var when = DAY.format(Instant.ofEpochMilli(t.at()).atZone(zone));
    var told =
        notifications.recipients(rule, one.labels(), new Rehearsal.Count(change, t.priority(), 1));
    var names = String.join(", ", told.stream().map(Notifications.Told::name).toList());
    boolean silent = change == Change.NO_DATA || change == Change.FAULT;
    return new Sample(
        change.text(),
        change == Change.RAISED || change == Change.ESCALATED || change == Change.EASED
            ? t.priority().text()
            : "",
        text.subject(),
        silent ? "" : body(text),
        real == null
            ? "Sample values: it did not happen in this range"
            : "Sample: %s%s".formatted(one.labels().isEmpty() ? "" : one.labels() + ", ", when),
        silent
            ? silence(change == Change.NO_DATA ? rule.missing() : rule.fault(), change)
            : names.isEmpty() ? "No recipients: the route names none" : "To " + names,
        !silent && !names.isEmpty());
  }

  /** The part that is written for this rule; what every message has is left out. */
  private static String body(MessageText text) {
    var body = text.body();
    int cut = body.indexOf("\nRule: ");
    return (cut < 0 ? body : body.substring(0, cut)).strip();
  }

  private static String silence(Rule.Missing what, Change change) {
    return switch (what) {
      case HOLD -> "The state is held; no message is sent.";
      case SHOW -> "Shown as %s; no message is sent.".formatted(change.text());
      case RAISE -> "Raised at the highest priority; the message is that of Raised.";
    };
  }

  private static Real madeUp(Rule rule, Rehearsal.Result result, Change change) {
    var labels = result.series().isEmpty() ? Labels.NONE : result.series().getFirst().labels();
    double value = result.series().isEmpty() ? Double.NaN : result.series().getFirst().value();
    var highest = rule.limits().stream().map(l -> l.priority()).min(Priority::compareTo).get();
    var words = rule.limit(highest).words(rule.unit());
    var why =
        switch (change) {
          case CLEARED -> "back inside the limit";
          case NO_DATA -> "no data";
          case FAULT -> "the query failed";
          default -> "limit: " + words;
        };
    long at = result.to() == SeriesState.NEVER ? 0 : result.to();
    var transition =
        new Transition(change, WatchState.NORMAL, WatchState.RAISED, at, value, highest, why);
    return new Real(labels, transition);
  }

  /** Labels that templates name and no series has. */
  static List<String> unknownLabels(Rule rule, Rehearsal.Result result) {
    var out = new ArrayList<String>();
    var m = LABEL.matcher(rule.summary() + " " + rule.details());
    while (m.find()) {
      var name = m.group(1);
      boolean known = result.series().stream().anyMatch(s -> s.labels().asMap().containsKey(name));
      if (!known && !out.contains(name)) {
        out.add(name);
      }
    }
    return out;
  }
}
