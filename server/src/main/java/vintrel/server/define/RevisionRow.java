package vintrel.server.define;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.IdClass;
import jakarta.persistence.Table;
import java.io.Serializable;
import java.util.Objects;

/** A version of a definition. */
@Entity(name = "Revision")
@Table(name = "definition_revision")
@IdClass(RevisionRow.Key.class)
class RevisionRow {
  @Id String kind;
  @Id String name;
  @Id int version;
  long at;

  @Column(name = "changed_by")
  String changedBy;

  String origin;

  /** Null if the version is a deletion. */
  @Column(length = 1000000)
  String text;

  static class Key implements Serializable {
    String kind;
    String name;
    int version;

    @Override
    public boolean equals(Object o) {
      return o instanceof Key k
          && k.kind.equals(kind)
          && k.name.equals(name)
          && k.version == version;
    }

    @Override
    public int hashCode() {
      return Objects.hash(kind, name, version);
    }
  }
}
