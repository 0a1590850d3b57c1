package vintrel.server.tell;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** One try to send a delivery. */
@Entity(name = "Attempt")
@Table(name = "attempt")
class AttemptRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  @Column(name = "delivery_id")
  long deliveryId;

  long at;
  long millis;
  boolean ok;

  @Column(length = 1000)
  String answer;
}
