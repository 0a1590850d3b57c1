package vintrel.server.tell;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** One message to one channel. */
@Entity(name = "Delivery")
@Table(name = "delivery")
class DeliveryRow {
  static final String QUEUED = "QUEUED";
  static final String SENT = "SENT";
  static final String GIVEN_UP = "GIVEN_UP";

  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  @Column(name = "idempotency_key")
  String idempotencyKey;

  @Column(name = "made_at")
  long madeAt;

  String rule;

  @Column(length = 2000)
  String series;

  String change;
  String recipient;
  String channel;

  @Column(length = 1000)
  String address;

  @Column(length = 1000)
  String subject;

  @Column(length = 20000)
  String body;

  String state;
  int attempts;

  @Column(name = "next_at")
  long nextAt;

  @Column(length = 1000)
  String answer;

  @Column(name = "done_at")
  long doneAt;

  /** The row of the routing table; empty for tests. */
  String route = "";

  /** How many alerts it is about. */
  int alerts = 1;
}
