package vintrel.server.store;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** The one row with the last journal record that is in chunks, and with what counts of these. */
@Entity(name = "JournalMark")
@Table(name = "journal_mark")
class JournalMark {
  @Id int id = 1;

  long until;

  /** The last raw chunk of a flush that is complete; null if all are. */
  Long chunk;
}
