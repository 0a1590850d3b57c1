package vintrel.server.store;

import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** A log record that is not packed yet. */
@Entity(name = "Event")
@Table(name = "event")
class EventRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  long id;

  String store;
  long at;
  String level;
  String text;
  String labels;
  String fields;
}
