package vintrel.server.watch;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** What is remembered of a rule as a whole. */
@Entity(name = "WatchedRule")
@Table(name = "watched_rule")
class RuleRow {
  @Id String rule;

  @Column(name = "registered_at")
  long registeredAt;

  @Column(name = "checked_until")
  long checkedUntil;

  /** Under which limits the states of its series came about, as JSON; null before version 0.2. */
  @Column(length = 2000)
  String limits;
}
