package vintrel.server.store;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

@Entity(name = "Journal")
@Table(name = "journal")
class JournalRow {
  @Id long sequence;

  @Column(length = 1000000)
  byte[] payload;
}
