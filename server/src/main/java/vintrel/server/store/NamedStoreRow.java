package vintrel.server.store;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

@Entity(name = "NamedStore")
@Table(name = "named_store")
class NamedStoreRow {
  @Id String name;

  @Column(name = "raw_millis")
  long rawMillis;

  @Column(name = "minute_millis")
  long minuteMillis;

  @Column(name = "ten_minutes_millis")
  long tenMinutesMillis;

  @Column(name = "hour_millis")
  long hourMillis;

  @Column(name = "made_at")
  long madeAt;

  @Column(name = "made_by")
  String madeBy;
}
