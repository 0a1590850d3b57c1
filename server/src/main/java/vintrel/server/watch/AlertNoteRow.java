package vintrel.server.watch;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** What somebody did with an alert, or wrote about it. */
@Entity(name = "AlertNote")
@Table(name = "alert_note")
class AlertNoteRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  @Column(name = "series_id")
  long seriesId;

  long at;
  String author;
  String kind;

  @Column(length = 2000)
  String text;

  /** Of a shelf; 0 for others. */
  @Column(name = "until_at")
  long untilAt;
}
