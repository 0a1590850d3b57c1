package vintrel.server.store;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

@Entity(name = "MetricNote")
@Table(name = "metric_note")
class MetricNoteRow {
  @Id String metric;
  String text;
}
