package vintrel.server.keep;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

@Entity
@Table(name = "person")
class Person {
  @Id String name;
  String password;
  String role;

  @Column(name = "must_change")
  boolean mustChange;
}
