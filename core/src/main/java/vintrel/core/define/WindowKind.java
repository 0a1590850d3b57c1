package vintrel.core.define;

import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.format.DateTimeParseException;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import vintrel.core.define.Shape.Field;
import vintrel.core.query.syntax.Parser;
import vintrel.core.tell.Schedule;
import vintrel.core.tell.Window;
import vintrel.core.unit.Durations;

/** {@code kind: window}. */
final class WindowKind implements Kind<Definition.OfWindow> {
  private static final int MAX_REPEATS = 500;
  private static final int MIN_YEAR = 2000;
  private static final int MAX_YEAR = 2199;
  private static final String DATE = "[0-9]{4}-[0-9]{2}-[0-9]{2}";

  private static final Shape.Fields SHAPE =
      new Shape.Fields(
          KIND,
          NAME,
          Field.of("title", Shape.text(200), "What people read. Default: the name."),
          Field.of(
                  "when",
                  Shape.text(10_000),
                  "The labels of alerts that notify nobody. Default: all of the rows that name"
                      + " the window under hush.")
              .or("")
              .checked(Checks::conditionOrNone),
          Field.of(
                  "starts",
                  new Shape.Text(
                      20,
                      DATE + "[T ][0-9]{2}:[0-9]{2}(:[0-9]{2})?",
                      "must be a local time such as 2026-11-29T02:00, not '{}'"),
                  "When it first begins, in local time.")
              .needed()
              .checked(v -> startFault(v.toString())),
          Field.of(
                  "lasts",
                  new Shape.Duration(Durations.MINUTE),
                  "How long it lasts; at most 31 days.")
              .needed()
              .checked(
                  v ->
                      Durations.parse(v.toString()).orElse(0) > Schedule.MAX_LENGTH
                          ? "must be at most 31d"
                          : null),
          Field.of(
                  "repeats",
                  Shape.text(MAX_REPEATS),
                  "A recurrence rule of RFC 5545, such as FREQ=WEEKLY;BYDAY=SU. Default: once.")
              .or("")
              .checked(v -> Schedule.fault(v.toString().strip())),
          Field.of("zone", Shape.text(60), "The time zone. Default: UTC.")
              .or("UTC")
              .checked(Checks::zone),
          Field.of(
              "except",
              new Shape.ListOf(
                  new Shape.Text(10, DATE, "must be a day such as 2026-12-24, not '{}'"),
                  0,
                  1_000,
                  true,
                  "has more than 1,000 entries"),
              "Days on which it is left out."),
          Field.of("critical", new Shape.Truth(), "Whether critical alerts are hushed too.")
              .or(false));

  private static String startFault(String text) {
    var start = start(text);
    return start == null
        ? "is not a time of a calendar"
        // Each occurrence since then is gone through.
        : start.getYear() < MIN_YEAR || start.getYear() > MAX_YEAR
            ? "must be of the years %d to %d".formatted(MIN_YEAR, MAX_YEAR)
            : null;
  }

  private static LocalDateTime start(String text) {
    try {
      return LocalDateTime.parse(text.strip().replace(' ', 'T'));
    } catch (DateTimeParseException e) {
      return null;
    }
  }

  @Override
  public String name() {
    return "window";
  }

  @Override
  public Shape.Fields shape() {
    return SHAPE;
  }

  @Override
  public Class<Definition.OfWindow> type() {
    return Definition.OfWindow.class;
  }

  @Override
  public Definition.OfWindow read(Node doc, String path, List<String> faults) {
    var when = doc.text("when");
    var name = doc.text("name");
    try {
      return new Definition.OfWindow(
          new Window(
              name,
              doc.text("title", name),
              Parser.parseCondition(when),
              when,
              new Schedule(
                  start(doc.text("starts")),
                  doc.duration("lasts"),
                  doc.text("repeats").strip(),
                  ZoneId.of(doc.text("zone")),
                  doc.texts("except").stream().map(LocalDate::parse).collect(Collectors.toSet())),
              doc.truth("critical")));
    } catch (DateTimeParseException e) {
      faults.add(path + ".except: '" + e.getParsedString() + "' is not a day of a calendar");
      return null;
    }
  }

  @Override
  public Map<String, Object> write(Definition.OfWindow definition) {
    var w = definition.window();
    var s = w.schedule();
    var out = new LinkedHashMap<String, Object>();
    Kinds.put(out, "title", w.title(), w.name());
    Kinds.put(out, "when", w.whenText(), "");
    out.put("starts", s.starts().toString());
    out.put("lasts", Durations.text(s.lasts()));
    Kinds.put(out, "repeats", s.repeats(), "");
    Kinds.put(out, "zone", s.zone().getId(), "UTC");
    Kinds.put(
        out, "except", s.except().stream().sorted().map(LocalDate::toString).toList(), List.of());
    Kinds.put(out, "critical", w.critical(), false);
    return out;
  }

  @Override
  public Map<String, Object> example() {
    return Documents.map(
        """
        kind: window
        name: berth-works
        title: Works at the berths
        when: site = 'mid-isles'
        starts: "2026-11-29T02:00"
        lasts: 90m
        repeats: FREQ=WEEKLY;BYDAY=SU
        zone: Europe/Oslo
        except: ["2026-12-20"]
        critical: true
        """);
  }
}
