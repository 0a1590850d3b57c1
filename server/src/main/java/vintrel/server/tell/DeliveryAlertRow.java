package vintrel.server.tell;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** An alert of a message about several. */
@Entity(name = "DeliveryAlert")
@Table(name = "delivery_alert")
class DeliveryAlertRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  @Column(name = "delivery_id")
  long deliveryId;

  String alert;
  String change;
}
