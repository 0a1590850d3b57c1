package vintrel.server.watch;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** One step of the state machine, for good. */
@Entity(name = "Transition")
@Table(name = "transition")
class TransitionRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  String rule;

  @Column(length = 16000)
  String labels;

  String change;

  @Column(name = "from_state")
  String fromState;

  @Column(name = "to_state")
  String toState;

  long at;
  double reading;
  String priority;

  @Column(length = 1000)
  String why;
}
