package vintrel.server.watch;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.springframework.stereotype.Component;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.tell.AlertKey;
import vintrel.core.tell.MessageText;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;
import vintrel.core.watch.Priority;
import vintrel.core.watch.StateStrip;
import vintrel.core.watch.WatchState;
import vintrel.server.tell.Outbox;

/** The list of alerts: narrowed, grouped and sorted. Any thread. */
@Component
class AlarmList {
  /** Rows of a list that is asked every few seconds; the most urgent come first. */
  static final int MOST = 300;

  private static final DateTimeFormatter CLOCK =
      DateTimeFormatter.ofPattern("HH:mm", Locale.ENGLISH);

  private final AlertLog log;
  private final AlertNotes notes;
  private final PastStates past;
  private final Outbox outbox;
  private final Clock clock;

  AlarmList(AlertLog log, AlertNotes notes, PastStates past, Outbox outbox, Clock clock) {
    this.log = log;
    this.notes = notes;
    this.past = past;
    this.outbox = outbox;
    this.clock = clock;
  }

  /**
   * What is wanted of the list.
   *
   * @param filter conditions as after {@code where}; empty: all
   * @param states that are shown; empty: all
   * @param group rule, none, or the name of a label
   * @param sort priority, newest, oldest or rule
   */
  record Asked(
      String filter,
      Set<String> states,
      String group,
      String sort,
      TimeText.Range range,
      ZoneId zone) {}

  /** The switches of the list, in their order. */
  enum Shown {
    RAISED("Raised"),
    ACKNOWLEDGED("Acknowledged"),
    SHELVED("Shelved"),
    CLEARING("Clearing"),
    OTHER("Building, No data, Fault");

    private final String text;

    Shown(String text) {
      this.text = text;
    }

    public String text() {
      return text;
    }

    static Shown of(AlertLog.Alert a, AlertNotes.Care care) {
      return care.shelf() != null
          ? SHELVED
          : switch (a.state()) {
            case RAISED -> RAISED;
            case ACKNOWLEDGED -> ACKNOWLEDGED;
            case CLEARING -> CLEARING;
            default -> OTHER;
          };
    }
  }

  /**
   * A row.
   *
   * @param form of its shape: outlined if it is acknowledged, dotted if it is shelved
   * @param told what became of it: who was told, who took it
   */
  public record Row(
      long id,
      String rule,
      String ruleName,
      String series,
      String full,
      String state,
      String shape,
      String form,
      String reading,
      String limit,
      String age,
      String summary,
      String told,
      List<RehearsalView.Box> strip,
      boolean canAcknowledge,
      boolean canTakeBack,
      boolean shelved) {}

  /**
   * Alerts that stand together.
   *
   * @param key by which a page remembers that it is folded
   */
  public record Group(
      String key, String title, String count, String owner, String shape, List<Row> rows) {}

  public record Switch(String word, String text, int count, boolean on) {}

  /**
   * @param fault of the filter, in words; empty
   * @param conditions that could be typed, from the labels of what is active
   * @param total of active alerts, whatever is shown
   */
  public record View(
      List<Group> groups,
      List<Switch> switches,
      List<String> labels,
      List<String> conditions,
      String fault,
      int shown,
      int more,
      int total) {}

  private record Item(AlertLog.Alert alert, AlertNotes.Care care, Shown shown) {}

  View view(Asked asked) {
    long now = clock.millis();
    var care = notes.current();
    var all =
        log.notNormal().stream()
            .map(
                a -> {
                  var own = care.of(a);
                  return new Item(a, own, Shown.of(a, own));
                })
            .toList();
    Condition condition = Condition.ALL;
    var fault = "";
    try {
      condition = Parser.parseCondition(asked.filter());
    } catch (QueryException e) {
      fault = e.getMessage();
    }
    var wanted = condition;
    var matching = all.stream().filter(i -> wanted.test(fields(i))).toList();
    var switches = switches(matching, asked.states());
    var shown =
        matching.stream()
            .filter(i -> asked.states().isEmpty() || asked.states().contains(word(i.shown())))
            .sorted(order(asked.sort()))
            .toList();
    var some = shown.stream().limit(MOST).toList();
    return new View(
        groups(some, all, asked, now),
        switches,
        labelNames(all),
        conditions(all),
        fault,
        some.size(),
        shown.size() - some.size(),
        (int) all.stream().filter(i -> i.alert().state().isActive()).count());
  }

  private static String word(Shown shown) {
    return shown.name().toLowerCase(Locale.ROOT);
  }

  /** What conditions can name: the labels of series and rule, and what the list shows. */
  private static Labels fields(Item i) {
    return fields(i.alert(), word(i.shown()), i.care().assigned());
  }

  static Labels fields(AlertLog.Alert alert, String state, String assigned) {
    var rule = alert.rule();
    var map = new TreeMap<>(rule.labels());
    map.putAll(alert.labels().asMap());
    map.put("rule", rule.name());
    map.put("folder", rule.folder());
    map.put("owner", rule.owner());
    map.put("state", state);
    map.put("assigned", assigned);
    if (alert.priority() != null) {
      map.put("priority", alert.priority().text());
    }
    map.values().removeIf(String::isEmpty);
    return Labels.of(map);
  }

  private static List<Switch> switches(List<Item> items, Set<String> on) {
    var out = new ArrayList<Switch>();
    for (var s : Shown.values()) {
      int n = (int) items.stream().filter(i -> i.shown() == s).count();
      out.add(new Switch(word(s), s.text(), n, on.isEmpty() || on.contains(word(s))));
    }
    return out;
  }

  private static Comparator<Item> order(String sort) {
    Comparator<Item> byAge = Comparator.comparingLong(i -> begun(i.alert()));
    return switch (sort) {
      case "newest" -> byAge.reversed();
      case "oldest" -> byAge;
      case "rule" ->
          Comparator.comparing((Item i) -> i.alert().rule().title()).thenComparing(byAge);
      default ->
          Comparator.comparing((Item i) -> !i.alert().state().isActive())
              .thenComparing(i -> rank(i.alert().priority()))
              .thenComparing(byAge);
    };
  }

  private static int rank(Priority p) {
    return p == null ? Priority.values().length : p.ordinal();
  }

  private static long begun(AlertLog.Alert a) {
    return a.raisedAt() > 0 ? a.raisedAt() : a.since();
  }

  private List<Group> groups(List<Item> some, List<Item> all, Asked asked, long now) {
    var strips = past.of("", asked.range(), now);
    var told = outbox.latest(some.stream().mapToLong(i -> begun(i.alert())).min().orElse(now));
    var by = new LinkedHashMap<String, List<Item>>();
    some.forEach(i -> by.computeIfAbsent(key(i, asked.group()), k -> new ArrayList<>()).add(i));
    var out = new ArrayList<Group>();
    by.forEach(
        (key, items) -> {
          var names =
              SeriesNames.of(items.stream().map(i -> i.alert().labels()).distinct().toList());
          boolean ofRule = asked.group().equals("rule");
          var rule = items.getFirst().alert().rule();
          var rows =
              items.stream()
                  .map(i -> row(i, ofRule ? names : null, strips, told, asked, now))
                  .toList();
          var worst =
              items.stream()
                  .map(i -> i.alert().priority())
                  .filter(p -> p != null)
                  .min(Comparator.naturalOrder());
          out.add(
              new Group(
                  key,
                  asked.group().equals("none") ? "" : ofRule ? rule.title() : key,
                  count(items.size(), ofRule ? log.seriesOf(rule.name()) : 0),
                  ofRule ? rule.owner() : "",
                  worst.map(Priority::text).orElse(""),
                  rows));
        });
    return out;
  }

  private static String count(int some, int of) {
    return of == 0 ? "" : "%d of %d series".formatted(some, of);
  }

  private static String key(Item i, String group) {
    return switch (group) {
      case "none" -> "";
      case "rule" -> i.alert().rule().name();
      default -> {
        var value = fields(i).asMap().get(group);
        yield group + " = " + (value == null ? "none" : value);
      }
    };
  }

  private Row row(
      Item i,
      SeriesNames names,
      Map<PastStates.Key, StateStrip> strips,
      Map<String, Outbox.Latest> told,
      Asked asked,
      long now) {
    var a = i.alert();
    var strip = strips.get(new PastStates.Key(a.rule().name(), a.labels()));
    return new Row(
        a.id(),
        a.rule().title(),
        a.rule().name(),
        names == null ? all(a.labels()) : names.of(a.labels()),
        all(a.labels()),
        i.shown() == Shown.SHELVED
            ? "Shelved until " + CLOCK.format(at(i.care().shelf().until(), asked.zone()))
            : a.state().text(),
        a.priority() == null ? "" : a.priority().text(),
        i.shown() == Shown.SHELVED ? "dotted" : a.acknowledged() ? "outlined" : "",
        reading(a),
        a.limit(),
        Durations.words(rounded(Math.max(0, now - begun(a)))),
        summary(a),
        told(i, told, asked.zone()),
        boxes(strip, a, asked.range(), now),
        a.state() == WatchState.RAISED,
        a.acknowledged(),
        i.shown() == Shown.SHELVED);
  }

  private static String all(Labels labels) {
    return labels.isEmpty() ? "all" : labels.toString();
  }

  private static long rounded(long ms) {
    return ms >= Durations.HOUR ? ms - ms % Durations.MINUTE : ms;
  }

  /** Who took it, else who was told. */
  private static String told(Item i, Map<String, Outbox.Latest> told, ZoneId zone) {
    if (i.care().shelf() != null) {
      var shelf = i.care().shelf();
      return shelf.author() + (shelf.reason().isEmpty() ? "" : ": " + shelf.reason());
    }
    if (!i.care().assigned().isEmpty()) {
      return "Assigned to " + i.care().assigned();
    }
    var latest = told.get(AlertKey.of(i.alert().rule().name(), i.alert().labels().toString()));
    if (latest == null || latest.at() < begun(i.alert())) {
      return i.alert().state().isActive() ? "Nobody was notified" : "";
    }
    return "%s %s %s"
        .formatted(latest.recipient(), latest.words(), CLOCK.format(at(latest.at(), zone)));
  }

  private static java.time.ZonedDateTime at(long ms, ZoneId zone) {
    return Instant.ofEpochMilli(ms).atZone(zone);
  }

  static String summary(AlertLog.Alert a) {
    var fields =
        Map.<String, Object>of(
            "labels", a.labels().asMap(),
            "value", Units.format(a.value(), a.rule().unit()),
            "limit", a.limit());
    return MessageText.render(a.rule().summary(), fields, "");
  }

  /** The latest value; where the latest check found none, for how long there has been none. */
  static String reading(AlertLog.Alert a) {
    var value = Units.format(a.value(), a.rule().unit());
    if (a.missingFor() == 0) {
      return value;
    }
    var absence = "no data for " + Durations.words(a.missingFor());
    return Double.isNaN(a.value()) ? absence : value + ", then " + absence;
  }

  /** Its strip; one that did not change in the range was as it is. */
  static List<RehearsalView.Box> boxes(
      StateStrip strip, AlertLog.Alert a, TimeText.Range range, long now) {
    var own = strip;
    if (own == null) {
      own = new StateStrip(range.from(), range.to());
      long from = Math.max(range.from(), a.since());
      long to = Math.min(now, range.to());
      if (to > from) {
        var priority = a.state().isActive() ? a.priority() : null;
        own.add(new vintrel.core.watch.Rehearsal.Span(from, to, a.state(), priority));
      }
    }
    return RehearsalView.boxes(own);
  }

  private static List<String> labelNames(List<Item> items) {
    var out = new TreeSet<String>();
    items.forEach(i -> out.addAll(i.alert().labels().asMap().keySet()));
    return out.stream().limit(20).toList();
  }

  private static List<String> conditions(List<Item> items) {
    var out = new TreeSet<String>();
    for (var i : items) {
      fields(i).asMap().forEach((k, v) -> out.add("%s = '%s'".formatted(k, v.replace("'", "''"))));
    }
    return out.stream().limit(400).toList();
  }
}
