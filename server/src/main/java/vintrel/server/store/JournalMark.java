package vintrel.server.store;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** The one row with the last journal record that is in chunks. */
@Entity(name = "JournalMark")
@Table(name = "journal_mark")
class JournalMark {
  @Id int id = 1;

  long until;
}
