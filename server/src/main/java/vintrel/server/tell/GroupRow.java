package vintrel.server.tell;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** Messages of one recipient about alerts that belong together. */
@Entity(name = "AlertGroup")
@Table(name = "alert_group")
class GroupRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  @Column(name = "group_key")
  String groupKey;

  String route;
  String recipient;

  @Column(length = 20000)
  String labels;

  @Column(name = "group_by", length = 2000)
  String groupBy;

  @Column(name = "first_wait")
  long firstWait;

  @Column(name = "follow_up")
  long followUp;

  @Column(name = "repeat_every")
  long repeatEvery;

  @Column(name = "last_at")
  long lastAt;

  @Column(name = "next_at")
  long nextAt;
}
