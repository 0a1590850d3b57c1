package vintrel.server.define;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.IdClass;
import jakarta.persistence.Table;
import java.io.Serializable;
import java.util.Objects;

@Entity(name = "Definition")
@Table(name = "definition")
@IdClass(DefinitionRow.Key.class)
class DefinitionRow {
  @Id String kind;
  @Id String name;

  @Column(length = 1000000)
  String text;

  int version;

  @Column(name = "changed_at")
  long changedAt;

  @Column(name = "changed_by")
  String changedBy;

  static class Key implements Serializable {
    String kind;
    String name;

    Key() {}

    Key(String kind, String name) {
      this.kind = kind;
      this.name = name;
    }

    @Override
    public boolean equals(Object o) {
      return o instanceof Key k && k.kind.equals(kind) && k.name.equals(name);
    }

    @Override
    public int hashCode() {
      return Objects.hash(kind, name);
    }
  }
}
