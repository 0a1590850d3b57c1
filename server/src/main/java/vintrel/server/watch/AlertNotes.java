package vintrel.server.watch;

import java.time.Clock;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Component;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;

/**
 * What people do with alerts beside acknowledging them: notes, shelves, who looks after them. A
 * shelf is kept here; the alert goes on being evaluated. It is in the database alone, so that every
 * server knows it. Any thread.
 */
@Component
class AlertNotes {
  /** The longest shelf, ms. */
  static final long LONGEST_SHELF = 7 * Durations.DAY;

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
   * @param shelf null unless it is shelved
   * @param assigned to whom; empty to nobody
   */
  record Care(Note shelf, String assigned) {
    static final Care NONE = new Care(null, "");
  }

  private final Database database;
  private final Clock clock;

  AlertNotes(Database database, Clock clock) {
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
    if (kind == Kind.SHELVED && (until <= now || until > now + LONGEST_SHELF)) {
      throw new IllegalArgumentException("a shelf ends within 7 days");
    }
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

  /** What holds now, by the id of the series; those of which nothing holds are not in it. */
  Map<Long, Care> current() {
    long now = clock.millis();
    var rows =
        database.with(
            s ->
                s.createSelectionQuery(
                        "from AlertNote where kind in ('SHELVED', 'UNSHELVED', 'ASSIGNED') and at"
                            + " >= :since order by id desc",
                        AlertNoteRow.class)
                    .setParameter("since", now - REMEMBERED)
                    .setMaxResults(MOST)
                    .getResultList());
    var shelves = new HashMap<Long, Note>();
    var people = new HashMap<Long, String>();
    for (var row : rows) {
      var note = note(row);
      if (note.kind() == Kind.ASSIGNED) {
        people.putIfAbsent(note.seriesId(), note.text());
      } else {
        shelves.putIfAbsent(note.seriesId(), note);
      }
    }
    var out = new HashMap<Long, Care>();
    shelves.forEach(
        (id, note) -> {
          if (note.kind() == Kind.SHELVED && note.until() > now) {
            out.put(id, new Care(note, people.getOrDefault(id, "")));
          }
        });
    people.forEach(
        (id, who) -> {
          if (!who.isEmpty()) {
            out.putIfAbsent(id, new Care(null, who));
          }
        });
    return out;
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
