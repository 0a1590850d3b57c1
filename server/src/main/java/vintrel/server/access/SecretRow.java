package vintrel.server.access;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** A secret that a definition refers to, encrypted. */
@Entity(name = "Secret")
@Table(name = "secret")
class SecretRow {
  @Id
  @Column(length = 16)
  String id;

  @Column(length = 8000)
  String hidden;
}
