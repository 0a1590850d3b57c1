package vintrel.server.watch;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.server.tell.ShelfEnd;
import vintrel.server.watch.AlertNotes.Kind;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** What is done with several alerts at once. Each is done for itself: one that fails is told. */
@Controller
class AlertActions {
  /** Alerts that one request names. */
  private static final int MOST = 1_000;

  private final Watcher watcher;
  private final AlertLog log;
  private final AlertNotes notes;
  private final Clock clock;

  AlertActions(Watcher watcher, AlertLog log, AlertNotes notes, Clock clock) {
    this.watcher = watcher;
    this.log = log;
    this.notes = notes;
    this.clock = clock;
  }

  /** One that was not done, and why. */
  record Failed(long id, String text) {}

  /**
   * @param done the ids of those that were done
   */
  record Done(List<Long> done, List<Failed> failed) {}

  private interface Act {
    void on(long id);
  }

  private static Done each(List<Long> ids, Act act) {
    if (ids.size() > MOST) {
      throw new IllegalArgumentException("choose at most 1,000 alerts");
    }
    var done = new ArrayList<Long>();
    var failed = new ArrayList<Failed>();
    for (long id : ids) {
      try {
        act.on(id);
        done.add(id);
      } catch (IllegalStateException | IllegalArgumentException e) {
        failed.add(new Failed(id, e.getMessage()));
      }
    }
    return new Done(done, failed);
  }

  @PostMapping("/watch/alerts/acknowledge")
  @ResponseBody
  Done acknowledge(@RequestParam List<Long> ids, @RequestParam(defaultValue = "") String note) {
    var text = brief(note);
    return each(ids, id -> watcher.acknowledge(id, CurrentUser.name(), text));
  }

  @PostMapping("/watch/alerts/take-back")
  @ResponseBody
  Done takeBack(@RequestParam List<Long> ids) {
    return each(ids, id -> watcher.takeBack(id, CurrentUser.name()));
  }

  /**
   * Shelves alerts.
   *
   * @param until a duration such as 2h, {@code tomorrow} for 08:00 of the next day, or a time
   */
  @PostMapping("/watch/alerts/shelve")
  @ResponseBody
  Done shelve(
      @RequestParam List<Long> ids,
      @RequestParam String until,
      @RequestParam(defaultValue = "") String note,
      HttpServletRequest request) {
    long end = ShelfEnd.of(until, clock.millis(), PagePreferences.zone(request));
    var reason = brief(note);
    var out = known(ids);
    notes.shelve(alerts(out), CurrentUser.name(), reason, end);
    return out;
  }

  @PostMapping("/watch/alerts/unshelve")
  @ResponseBody
  Done unshelve(@RequestParam List<Long> ids) {
    var out = known(ids);
    notes.unshelve(alerts(out), CurrentUser.name());
    return out;
  }

  private List<AlertLog.Alert> alerts(Done done) {
    return done.done().stream().map(log::byId).filter(Objects::nonNull).toList();
  }

  /**
   * @param to a name; empty: to nobody
   */
  @PostMapping("/watch/alerts/assign")
  @ResponseBody
  Done assign(@RequestParam List<Long> ids, @RequestParam(defaultValue = "") String to) {
    return noted(ids, Kind.ASSIGNED, brief(to), 0);
  }

  @PostMapping("/watch/alerts/note")
  @ResponseBody
  Done note(@RequestParam List<Long> ids, @RequestParam String note) {
    if (note.isBlank()) {
      throw new IllegalArgumentException("a note needs a text");
    }
    return noted(ids, Kind.NOTE, note.strip(), 0);
  }

  private Done known(List<Long> ids) {
    return each(
        ids,
        id -> {
          if (log.byId(id) == null) {
            throw new IllegalArgumentException("alert " + id + " not found");
          }
        });
  }

  private Done noted(List<Long> ids, Kind kind, String text, long until) {
    var out = known(ids);
    notes.add(out.done(), CurrentUser.name(), kind, text, until);
    return out;
  }

  static String brief(String text) {
    var clean = text.strip();
    if (clean.length() > 500) {
      throw new IllegalArgumentException("write at most 500 characters");
    }
    return clean;
  }
}
