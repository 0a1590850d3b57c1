package vintrel.server.tell;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** What a transition means for recipients. */
@Entity(name = "Notice")
@Table(name = "notice")
class NoticeRow {
  /** Not routed yet. */
  static final String NEW = "NEW";

  /** Hushed: routed again when that ends, if the alert is still active. */
  static final String HELD = "HELD";

  static final String DONE = "DONE";

  /** Held until the alert was over: nobody was notified. */
  static final String DROPPED = "DROPPED";

  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  String alert;
  String rule;

  @Column(length = 2000)
  String series;

  String change;
  String priority;
  long at;

  @Column(length = 20000)
  String labels;

  @Column(length = 60000)
  String content;

  String state;

  @Column(name = "until_at")
  long untilAt;

  String source;

  @Column(length = 4000)
  String verdict;
}
