package vintrel.server.ask;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

@Entity(name = "OutsideStore")
@Table(name = "outside_store")
class ExternalStoreRow {
  @Id String name;
  String form;
  String url;
  String username;
  String secret;

  @Column(name = "may_write")
  boolean canWrite;

  String checked;
  boolean accepted;

  @Column(name = "made_at")
  long madeAt;

  @Column(name = "made_by")
  String madeBy;
}
