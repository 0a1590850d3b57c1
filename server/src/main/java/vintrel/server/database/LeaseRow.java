package vintrel.server.database;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** Who does a job until when. */
@Entity(name = "Lease")
@Table(name = "lease")
class LeaseRow {
  @Id String name;
  String owner;

  @Column(name = "held_until")
  long until;
}
