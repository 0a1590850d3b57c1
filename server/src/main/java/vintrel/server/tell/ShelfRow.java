package vintrel.server.tell;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** Alerts that notify nobody for a while. */
@Entity(name = "Shelf")
@Table(name = "shelf")
class ShelfRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  String alert;

  @Column(name = "when_text", length = 10000)
  String whenText;

  @Column(length = 2000)
  String reason;

  String author;

  @Column(name = "from_at")
  long fromAt;

  @Column(name = "until_at")
  long untilAt;

  boolean critical;

  @Column(name = "ended_by")
  String endedBy;
}
