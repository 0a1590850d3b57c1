package vintrel.server.watch;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.StringJoiner;
import tools.jackson.core.type.TypeReference;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.define.RuleLimits;
import vintrel.core.watch.Limit;
import vintrel.core.watch.LimitTest.Direction;
import vintrel.core.watch.Priority;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.SeriesState.LimitState;
import vintrel.core.watch.SeriesState.Phase;
import vintrel.core.watch.WatchState;

/** States and limits as rows keep them. Any thread. */
final class StateText {
  private static final TypeReference<List<Map<String, Object>>> LIMITS = new TypeReference<>() {};

  private StateText() {}

  /** Fills a row with a state. */
  static void write(WatchedSeries.Now now, List<Limit> limits, WatchedRow to) {
    var s = now.state();
    to.state = s.state().name();
    to.since = s.since();
    to.raisedAt = time(s.raisedAt());
    to.acknowledged = s.acknowledged();
    to.limits = limits(s.limits(), limits);
    to.reading = now.value();
    to.lastValueAt = time(now.valueAt());
    to.missingSince = time(s.missingSince());
    to.faultSince = time(s.faultSince());
    to.byAbsence = s.byAbsence();
  }

  private static long time(long at) {
    return at == SeriesState.NEVER ? 0 : at;
  }

  private static long never(long at) {
    return at == 0 ? SeriesState.NEVER : at;
  }

  /**
   * {@code high=ACTIVE@0,low=BUILDING@1764115200000,medium=QUIET@0~5~7}: those that say something.
   */
  private static String limits(List<LimitState> states, List<Limit> limits) {
    var out = new StringJoiner(",");
    for (int i = 0; i < states.size(); i++) {
      var s = states.get(i);
      if (!s.equals(LimitState.QUIET)) {
        var checks = s.passed() == 0 && s.away() == 0 ? "" : "~" + s.passed() + "~" + s.away();
        out.add(limits.get(i).priority().text() + "=" + s.phase() + "@" + time(s.since()) + checks);
      }
    }
    return out.toString();
  }

  /**
   * The state of a row.
   *
   * @param limits under which it came about
   */
  static WatchedSeries.Now read(WatchedRow row, List<Limit> limits) {
    var states = new ArrayList<LimitState>();
    limits.forEach(l -> states.add(LimitState.QUIET));
    var parts = row.limits.isEmpty() ? new String[0] : row.limits.split(",");
    for (int i = 0; i < parts.length; i++) {
      var named = parts[i].split("=");
      // Version 0.1 knew limits by their place in the rule.
      int at = named.length == 1 ? i : indexOf(named[0], limits);
      if (at >= 0 && at < limits.size()) {
        states.set(at, limit(named[named.length - 1]));
      }
    }
    var state =
        new SeriesState(
            WatchState.valueOf(row.state),
            row.since,
            never(row.raisedAt),
            row.acknowledged,
            states,
            SeriesState.deciding(limits, states),
            never(row.missingSince),
            never(row.faultSince),
            row.byAbsence);
    return new WatchedSeries.Now(state, row.reading, never(row.lastValueAt), row.version);
  }

  private static int indexOf(String priority, List<Limit> limits) {
    for (int i = 0; i < limits.size(); i++) {
      if (limits.get(i).priority().text().equals(priority)) {
        return i;
      }
    }
    return -1;
  }

  private static LimitState limit(String text) {
    var fields = text.split("[@~]");
    boolean checks = fields.length == 4;
    return new LimitState(
        Phase.valueOf(fields[0]),
        never(Long.parseLong(fields[1])),
        checks ? Integer.parseInt(fields[2]) : 0,
        checks ? Integer.parseInt(fields[3]) : 0);
  }

  static String limits(List<Limit> limits) {
    return JsonMapper.shared().writeValueAsString(limits.stream().map(RuleLimits::write).toList());
  }

  /**
   * The limits of a text.
   *
   * @param otherwise if there is none, or one that says nothing
   */
  static List<Limit> limits(String text, List<Limit> otherwise) {
    if (text == null) {
      return otherwise;
    }
    try {
      return JsonMapper.shared().readValue(text, LIMITS).stream().map(StateText::limit).toList();
    } catch (RuntimeException e) {
      // Written by hand, or by a later version: the states are taken as under today's limits.
      return otherwise;
    }
  }

  private static Limit limit(Map<String, Object> written) {
    if (!written.containsKey("direction")) {
      return RuleLimits.of(written);
    }
    // As version 0.2 wrote thresholds, the only limits that it had.
    return Limit.of(
        Direction.valueOf(written.get("direction").toString()),
        number(written, "value"),
        Priority.valueOf(written.get("priority").toString()),
        number(written, "deadband"),
        (long) number(written, "onDelay"),
        (long) number(written, "offDelay"));
  }

  private static double number(Map<String, Object> written, String name) {
    return ((Number) written.get(name)).doubleValue();
  }
}
