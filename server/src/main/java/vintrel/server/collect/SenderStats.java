package vintrel.server.collect;

import java.time.Clock;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import org.springframework.stereotype.Component;

/** Did it arrive? For each sender since the start: when last, how much, what was refused. */
@Component
class SenderStats {
  private final Clock clock;
  private final Map<String, Arrival> bySender = new ConcurrentHashMap<>();

  /** {@code at} in ms since the epoch. */
  record Arrival(
      String sender, String way, long at, long samples, long refused, String why, long exemplars) {}

  SenderStats(Clock clock) {
    this.clock = clock;
  }

  void note(String sender, String way, StoreSampleSink.Outcome outcome) {
    bySender.merge(
        sender + " " + way,
        new Arrival(
            sender,
            way,
            clock.millis(),
            outcome.receipt().accepted(),
            outcome.refused(),
            outcome.why(),
            outcome.exemplars()),
        (old, now) ->
            new Arrival(
                sender,
                way,
                now.at(),
                old.samples() + now.samples(),
                old.refused() + now.refused(),
                now.why().isEmpty() ? old.why() : now.why(),
                old.exemplars() + now.exemplars()));
  }

  List<Arrival> all() {
    return bySender.values().stream().sorted(Comparator.comparing(Arrival::sender)).toList();
  }
}
