package vintrel.server.store;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.util.List;
import vintrel.core.event.EventBlock;
import vintrel.core.event.Records;
import vintrel.core.series.Event;

/** Packed records of one store. */
@Entity(name = "EventBlock")
@Table(name = "event_block")
class EventBlockRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  long id;

  String store;

  @Column(name = "start_time")
  long startTime;

  /** Inclusive. */
  @Column(name = "end_time")
  long endTime;

  @Column(name = "first_id")
  long firstId;

  @Column(name = "last_id")
  long lastId;

  @Column(name = "record_count")
  int recordCount;

  /** The bits of the levels' codes that are in it. */
  int levels;

  @Column(length = 1000000)
  byte[] data;

  /**
   * @param events by time, all of one store
   */
  static EventBlockRow of(List<Event> events) {
    var row = new EventBlockRow();
    row.store = events.getFirst().store();
    row.startTime = events.getFirst().time();
    row.endTime = events.getLast().time();
    row.firstId = events.stream().mapToLong(Event::id).min().orElse(0);
    row.lastId = events.stream().mapToLong(Event::id).max().orElse(0);
    row.recordCount = events.size();
    events.forEach(e -> row.levels |= 1 << Records.code(e.level()));
    row.data = EventBlock.encode(events);
    return row;
  }
}
