package vintrel.server.watch;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.util.ArrayList;
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

  String state;
  long since;

  @Column(name = "raised_at")
  long raisedAt;

  boolean acknowledged;
  String limits;

  @Column(name = "limit_index")
  int limitIndex;

  double reading;

  @Column(name = "last_value_at")
  long lastValueAt;

  @Column(name = "missing_since")
  long missingSince;

  /** Another of the same content, to be changed and written while this one stands. */
  WatchedRow copy() {
    var out = new WatchedRow();
    out.id = id;
    out.rule = rule;
    out.labels = labels;
    out.state = state;
    out.since = since;
    out.raisedAt = raisedAt;
    out.acknowledged = acknowledged;
    out.limits = limits;
    out.limitIndex = limitIndex;
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
    for (var l : s.limits()) {
      text.append(text.isEmpty() ? "" : ",").append(l.phase()).append('@').append(l.since());
    }
    limits = text.toString();
    limitIndex = s.limit();
    reading = s.value();
    lastValueAt = s.lastValueAt();
    missingSince = s.missingSince();
  }

  SeriesState toState() {
    var parts = new ArrayList<SeriesState.LimitState>();
    for (var part : limits.split(",")) {
      var pair = part.split("@");
      parts.add(
          new SeriesState.LimitState(SeriesState.Phase.valueOf(pair[0]), Long.parseLong(pair[1])));
    }
    return new SeriesState(
        WatchState.valueOf(state),
        since,
        raisedAt,
        acknowledged,
        parts,
        limitIndex,
        reading,
        lastValueAt,
        missingSince);
  }
}
