package vintrel.server.watch;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.EnumMap;
import java.util.HexFormat;
import java.util.List;
import java.util.Locale;
import vintrel.core.watch.Limit;
import vintrel.core.watch.Priority;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.WatchState;

/** The state of one series under one rule, as the database keeps it. */
@Entity(name = "WatchedSeries")
@Table(name = "watched_series")
class WatchedRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

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

  /** {@code high=ACTIVE@0,low=BUILDING@1764115200000}: the limits that are not quiet. */
  String limits;

  double reading;

  @Column(name = "last_value_at")
  long lastValueAt;

  @Column(name = "missing_since")
  long missingSince;

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

  /** Another of the same content, to be changed and written while this one stays in use. */
  WatchedRow copy() {
    var out = new WatchedRow();
    out.id = id;
    out.rule = rule;
    out.labels = labels;
    out.labelsHash = labelsHash;
    out.state = state;
    out.since = since;
    out.raisedAt = raisedAt;
    out.acknowledged = acknowledged;
    out.limits = limits;
    out.reading = reading;
    out.lastValueAt = lastValueAt;
    out.missingSince = missingSince;
    return out;
  }

  void take(SeriesState s) {
    state = s.state().name();
    since = s.since();
    raisedAt = s.raisedAt();
    acknowledged = s.acknowledged();
    var text = new StringBuilder();
    s.limits()
        .forEach(
            (priority, l) ->
                text.append(text.isEmpty() ? "" : ",")
                    .append(priority.text())
                    .append('=')
                    .append(l.phase())
                    .append('@')
                    .append(l.since()));
    limits = text.toString();
    reading = s.value();
    lastValueAt = s.lastValueAt();
    missingSince = s.missingSince();
  }

  /**
   * Names limits by their priority if they are named by their position still.
   *
   * @param rule the limits of the rule, in its order
   * @return true if the row changed
   */
  boolean named(List<Limit> rule) {
    if (limits.isEmpty() || limits.contains("=")) {
      return false;
    }
    var parts = limits.split(",");
    var text = new StringBuilder();
    for (int i = 0; i < parts.length && i < rule.size(); i++) {
      if (!parts[i].startsWith(SeriesState.Phase.QUIET.name())) {
        text.append(text.isEmpty() ? "" : ",")
            .append(rule.get(i).priority().text())
            .append('=')
            .append(parts[i]);
      }
    }
    limits = text.toString();
    return true;
  }

  SeriesState toState() {
    var parts = new EnumMap<Priority, SeriesState.LimitState>(Priority.class);
    for (var part : limits.isEmpty() ? new String[0] : limits.split(",")) {
      var fields = part.split("[=@]");
      parts.put(
          Priority.valueOf(fields[0].toUpperCase(Locale.ROOT)),
          new SeriesState.LimitState(
              SeriesState.Phase.valueOf(fields[1]), Long.parseLong(fields[2])));
    }
    return new SeriesState(
        WatchState.valueOf(state),
        since,
        raisedAt,
        acknowledged,
        parts,
        reading,
        lastValueAt,
        missingSince);
  }
}
