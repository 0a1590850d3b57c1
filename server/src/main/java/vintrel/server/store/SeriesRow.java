package vintrel.server.store;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

@Entity(name = "Series")
@Table(name = "series")
class SeriesRow {
  @Id int id;
  String store;
  String metric;

  @jakarta.persistence.Column(length = 16000)
  String labels;

  String kind;
  String unit;
}
