package vintrel.server.access;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

@Entity(name = "Token")
@Table(name = "token")
class TokenRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  String name;
  String hash;
  String rights;
  String store;

  /** Networks in CIDR notation, with commas; empty: any. */
  String networks;

  /** ms; 0: never. */
  @Column(name = "expires_at")
  long expiresAt;

  @Column(name = "max_samples")
  int maxSamples;

  @Column(name = "max_series")
  int maxSeries;

  /** Labels that it adds, as {@link TokenSpec#text} writes them. */
  String labels = "";

  /** What sends with it, as Collect lists it; empty: told by how it sends. */
  String category = "";

  @Column(name = "made_at")
  long madeAt;

  @Column(name = "made_by")
  String madeBy;

  /** ms; 0: never. */
  @Column(name = "used_at")
  long usedAt;

  @Column(name = "used_from")
  String usedFrom;

  /** Replaced by another of the same name; it goes on until it expires. */
  boolean rotated;
}
