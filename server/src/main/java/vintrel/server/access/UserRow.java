package vintrel.server.access;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

@Entity(name = "Person")
@Table(name = "person")
class UserRow {
  @Id String name;
  String password;
  String role;

  @Column(name = "must_change")
  boolean mustChange;

  boolean disabled;

  boolean isAdministrator() {
    return role.equals(Role.ADMINISTRATOR.stored()) && !disabled;
  }
}
