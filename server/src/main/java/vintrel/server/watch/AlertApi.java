package vintrel.server.watch;

import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import vintrel.core.query.syntax.Parser;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.WatchState;
import vintrel.server.web.CurrentUser;

/** Alerts as JSON: those that are not normal, each with its history, and what is done with one. */
@RestController
class AlertApi {
  private static final int MAX_HISTORY = 200;
  private static final int MAX_NAME = 200;

  private final AlertLog log;
  private final AlertNotes notes;
  private final Watcher watcher;

  AlertApi(AlertLog log, AlertNotes notes, Watcher watcher) {
    this.log = log;
    this.notes = notes;
    this.watcher = watcher;
  }

  /**
   * What is said of an act.
   *
   * @param note may be null
   * @param to a name, of an assignment; null: the note is the name
   */
  record Said(String note, String to) {
    static final Said NOTHING = new Said("", "");

    String text() {
      return note == null ? "" : note.strip();
    }
  }

  /**
   * @param state words with commas; empty: all that are not normal
   * @param where conditions as after {@code where}; empty: all
   */
  @GetMapping("/api/v1/alerts")
  List<Map<String, Object>> all(
      @RequestParam(defaultValue = "") String state,
      @RequestParam(defaultValue = "") String where) {
    var condition = Parser.parseCondition(where);
    var states = states(state);
    var care = notes.current();
    return log.notNormal().stream()
        .filter(a -> states.isEmpty() || states.contains(word(a.state())))
        .filter(a -> condition.test(AlarmList.fields(a, word(a.state()), care.of(a).assigned())))
        .map(AlertApi::json)
        .toList();
  }

  private static Set<String> states(String text) {
    var out =
        Arrays.stream(text.toLowerCase(Locale.ROOT).split(","))
            .map(String::strip)
            .filter(s -> !s.isEmpty())
            .collect(Collectors.toSet());
    var known = Arrays.stream(WatchState.values()).map(AlertApi::word).toList();
    for (var s : out) {
      if (!known.contains(s)) {
        throw new IllegalArgumentException(
            "unknown state `%s`; states are %s".formatted(s, String.join(", ", known)));
      }
    }
    return out;
  }

  private static String word(WatchState state) {
    return state.name().toLowerCase(Locale.ROOT).replace('_', '-');
  }

  private static Map<String, Object> json(AlertLog.Alert a) {
    var out = new LinkedHashMap<String, Object>();
    out.put("id", a.id());
    out.put("rule", a.rule().name());
    out.put("labels", a.labels().asMap());
    out.put("state", a.state().text());
    out.put("priority", a.priority() == null ? null : a.priority().text());
    out.put("value", number(a.value()));
    out.put("since", time(a.since()));
    out.put("raised", a.raisedAt() == 0 ? null : time(a.raisedAt()));
    return out;
  }

  /** One alert with the latest of its history and notes, newest first. */
  @GetMapping("/api/v1/alerts/{id}")
  ResponseEntity<Map<String, Object>> one(@PathVariable long id) {
    var alert = log.byId(id);
    return alert == null
        ? ResponseEntity.status(HttpStatus.NOT_FOUND).body(missing(id))
        : ResponseEntity.ok(whole(alert));
  }

  private Map<String, Object> whole(AlertLog.Alert a) {
    var out = json(a);
    out.put("title", a.rule().title());
    out.put("limit", a.limit());
    var care = notes.current().of(a);
    out.put("assigned", care.assigned().isEmpty() ? null : care.assigned());
    out.put("shelved_until", care.shelf() == null ? null : time(care.shelf().until()));
    var history = new ArrayList<Map<String, Object>>();
    for (var p : log.history(a.rule().name(), a.labels(), MAX_HISTORY)) {
      var one = new LinkedHashMap<String, Object>();
      one.put("at", time(p.at()));
      one.put("change", p.change().text());
      one.put("from", p.from().text());
      one.put("to", p.to().text());
      one.put("priority", p.priority().isEmpty() ? null : p.priority().toLowerCase(Locale.ROOT));
      one.put("value", number(p.value()));
      one.put("why", p.why());
      history.add(one);
    }
    out.put("transitions", history);
    var said = new ArrayList<Map<String, Object>>();
    for (var n : notes.of(a.id(), MAX_HISTORY)) {
      var one = new LinkedHashMap<String, Object>();
      one.put("at", time(n.at()));
      one.put("by", n.author());
      one.put("kind", n.kind().name().toLowerCase(Locale.ROOT));
      one.put("text", n.text());
      said.add(one);
    }
    out.put("notes", said);
    return out;
  }

  private static String time(long at) {
    return at == SeriesState.NEVER ? null : Instant.ofEpochMilli(at).toString();
  }

  private static Double number(double v) {
    return Double.isFinite(v) ? v : null;
  }

  /** It is on the disk when this answers. */
  @PostMapping("/api/v1/alerts/{id}/acknowledge")
  ResponseEntity<Map<String, Object>> acknowledge(
      @PathVariable long id, @RequestBody(required = false) Said said) {
    var text = said == null ? "" : said.text();
    if (log.byId(id) == null) {
      return one(id);
    }
    try {
      watcher.acknowledge(id, CurrentUser.name(), AlertActions.brief(text));
    } catch (IllegalStateException e) {
      return ResponseEntity.status(HttpStatus.CONFLICT).body(fault("conflict", e.getMessage()));
    }
    return one(id);
  }

  @PostMapping("/api/v1/alerts/{id}/note")
  ResponseEntity<Map<String, Object>> note(
      @PathVariable long id, @RequestBody(required = false) Said said) {
    if (said == null || said.text().isEmpty()) {
      throw new IllegalArgumentException("`note` needs a text");
    }
    return noted(id, AlertNotes.Kind.NOTE, said.text());
  }

  @PostMapping("/api/v1/alerts/{id}/assign")
  ResponseEntity<Map<String, Object>> assign(
      @PathVariable long id, @RequestBody(required = false) Said said) {
    var one = said == null ? Said.NOTHING : said;
    var to = one.to() == null ? one.text() : one.to().strip();
    if (to.length() > MAX_NAME) {
      throw new IllegalArgumentException("`to` may have at most %d characters".formatted(MAX_NAME));
    }
    return noted(id, AlertNotes.Kind.ASSIGNED, to);
  }

  private ResponseEntity<Map<String, Object>> noted(long id, AlertNotes.Kind kind, String text) {
    if (log.byId(id) != null) {
      notes.add(List.of(id), CurrentUser.name(), kind, text, 0);
    }
    return one(id);
  }

  private static Map<String, Object> missing(long id) {
    return fault("not.found", "alert " + id + " not found");
  }

  private static Map<String, Object> fault(String code, String text) {
    return Map.of("error", Map.of("code", code, "text", text));
  }
}
