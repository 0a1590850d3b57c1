package vintrel.server.watch;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import jakarta.persistence.Version;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;

/** The state of one series under one rule, as the database keeps it; times are 0 for never. */
@Entity(name = "WatchedSeries")
@Table(name = "watched_series")
class WatchedRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  /** Who wrote it after it was read is not overwritten. */
  @Version int version;

  String rule;

  @Column(length = 16000)
  String labels;

  /** Of the labels: they are too long for a unique key of their own. */
  @Column(name = "labels_hash")
  String labelsHash;

  String state;
  long since;

  @Column(name = "raised_at")
  long raisedAt;

  boolean acknowledged;

  /** As {@link StateText} writes it: the limits that are not quiet. */
  String limits;

  double reading;

  @Column(name = "last_value_at")
  long lastValueAt;

  @Column(name = "missing_since")
  long missingSince;

  @Column(name = "fault_since")
  long faultSince;

  @Column(name = "by_absence")
  boolean byAbsence;

  static WatchedRow of(String rule, String labels) {
    var out = new WatchedRow();
    out.rule = rule;
    out.labels = labels;
    out.labelsHash = hash(labels);
    return out;
  }

  static String hash(String labels) {
    try {
      var digest = MessageDigest.getInstance("SHA-256");
      return HexFormat.of().formatHex(digest.digest(labels.getBytes(StandardCharsets.UTF_8)));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }
}
