package vintrel.server.watch;

import java.time.Clock;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Component;
import vintrel.core.tell.AlertKey;
import vintrel.core.tell.Shelf;
import vintrel.core.unit.Durations;
import vintrel.core.watch.Priority;
import vintrel.server.database.Database;
import vintrel.server.tell.Shelves;

/**
 * What people do with alerts beside acknowledging them: notes, shelves, who looks after them. It is
 * in the database alone, so that every server knows it. Any thread.
 */
@Component
class AlertNotes {
  static final int LONGEST_TEXT = 2_000;
  private static final long REMEMBERED = 30 * Durations.DAY;
  private static final int MOST = 10_000;

  enum Kind {
    NOTE,
    SHELVED,
    UNSHELVED,
    ASSIGNED
  }

  /**
   * What was done.
   *
   * @param until ms, of a shelf
   */
  record Note(long seriesId, long at, String author, Kind kind, String text, long until) {}

  /**
   * What holds for an alert now.
   *
   * @param shelf null unless it is shelved, by itself or by a condition
   * @param assigned to whom; empty to nobody
   */
  record Care(Shelf shelf, String assigned) {}

  /** What holds for alerts now. */
  static final class Current {
    private final Map<String, Shelf> single = new HashMap<>();
    private final List<Shelf> general = new ArrayList<>();
    private final Map<Long, String> assigned;

    private Current(List<Shelf> shelves, Map<Long, String> assigned) {
      this.assigned = assigned;
      for (var shelf : shelves) {
        if (shelf.alert().isEmpty()) {
          general.add(shelf);
        } else {
          single.put(shelf.alert(), shelf);
        }
      }
    }

    Care of(AlertLog.Alert a) {
      return new Care(shelf(a), assigned.getOrDefault(a.id(), ""));
    }

    private Shelf shelf(AlertLog.Alert a) {
      boolean critical = a.priority() == Priority.CRITICAL;
      var own = single.get(key(a));
      if (own != null && (own.critical() || !critical)) {
        return own;
      }
      if (general.isEmpty()) {
        return null;
      }
      var labels = Notifications.routed(a.rule(), a.labels(), a.priority());
      return general.stream()
          .filter(s -> (s.critical() || !critical) && s.when().test(labels))
          .max(Comparator.comparingLong(Shelf::until))
          .orElse(null);
    }
  }

  private static String key(AlertLog.Alert a) {
    return AlertKey.of(a.rule().name(), a.labels().isEmpty() ? "" : a.labels().toString());
  }

  private final Database database;
  private final Shelves shelves;
  private final Clock clock;

  AlertNotes(Database database, Shelves shelves, Clock clock) {
    this.shelves = shelves;
    this.database = database;
    this.clock = clock;
  }

  /**
   * Writes down what was done with alerts.
   *
   * @param until of a shelf, ms
   * @throws IllegalArgumentException if the text or the shelf is too long
   */
  void add(Collection<Long> series, String author, Kind kind, String text, long until) {
    if (text.length() > LONGEST_TEXT) {
      throw new IllegalArgumentException("a note may have at most 2,000 characters");
    }
    long now = clock.millis();
    database.run(
        s -> {
          for (long id : series) {
            var row = new AlertNoteRow();
            row.seriesId = id;
            row.at = now;
            row.author = author;
            row.kind = kind.name();
            row.text = text;
            row.untilAt = kind == Kind.SHELVED ? until : 0;
            s.insert(row);
          }
        });
  }

  /**
   * Shelves alerts one by one, and writes it down.
   *
   * @param until ms
   * @throws IllegalArgumentException if the text or the shelf is too long
   */
  void shelve(Collection<AlertLog.Alert> alerts, String author, String reason, long until) {
    for (boolean critical : new boolean[] {false, true}) {
      var some =
          alerts.stream().filter(a -> (a.priority() == Priority.CRITICAL) == critical).toList();
      if (!some.isEmpty()) {
        shelves.shelve(
            some.stream().map(AlertNotes::key).toList(), reason, author, until, critical);
      }
    }
    add(alerts.stream().map(AlertLog.Alert::id).toList(), author, Kind.SHELVED, reason, until);
  }

  /** Ends the shelves of alerts, and writes it down; shelves by conditions stay. */
  void unshelve(Collection<AlertLog.Alert> alerts, String author) {
    shelves.unshelve(alerts.stream().map(AlertNotes::key).toList(), author);
    add(alerts.stream().map(AlertLog.Alert::id).toList(), author, Kind.UNSHELVED, "", 0);
  }

  /** What holds now. */
  Current current() {
    long now = clock.millis();
    var people = new HashMap<Long, String>();
    database
        .with(
            s ->
                s.createSelectionQuery(
                        "from AlertNote where kind = 'ASSIGNED' and at >= :since order by id desc",
                        AlertNoteRow.class)
                    .setParameter("since", now - REMEMBERED)
                    .setMaxResults(MOST)
                    .getResultList())
        .forEach(row -> people.putIfAbsent(row.seriesId, row.text));
    return new Current(shelves.inForce(), people);
  }

  /** All of a series, newest first. */
  List<Note> of(long series, int max) {
    return database.with(
        s ->
            s
                .createSelectionQuery(
                    "from AlertNote where seriesId = :id order by id desc", AlertNoteRow.class)
                .setParameter("id", series)
                .setMaxResults(max)
                .getResultList()
                .stream()
                .map(AlertNotes::note)
                .toList());
  }

  private static Note note(AlertNoteRow r) {
    return new Note(r.seriesId, r.at, r.author, Kind.valueOf(r.kind), r.text, r.untilAt);
  }
}
