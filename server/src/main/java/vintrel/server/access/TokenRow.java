package vintrel.server.access;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

@Entity(name = "Token")
@Table(name = "token")
class TokenRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  String name;
  String hash;
  String scope;
  String store;

  @Column(name = "made_at")
  long madeAt;

  @Column(name = "made_by")
  String madeBy;
}
