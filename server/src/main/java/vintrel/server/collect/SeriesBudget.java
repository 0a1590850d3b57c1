package vintrel.server.collect;

import java.time.Clock;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import org.springframework.stereotype.Component;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.server.web.Settings;

/** Keeps a label that explodes from filling the store: how many series may still be made. */
@Component
class SeriesBudget {
  /** Bytes of names and labels: they are read back at each start, so they must fit. */
  private static final long MAX_NAMES = Runtime.getRuntime().maxMemory() / 5;

  private final SampleStore store;
  private final Clock clock;
  private final int maxOfMetric;
  private final int maxAnHour;
  private final Map<String, Hour> hours = new ConcurrentHashMap<>();

  private record Hour(long hour, int made) {}

  SeriesBudget(SampleStore store, Settings settings, Clock clock) {
    this.store = store;
    this.clock = clock;
    this.maxOfMetric = settings.ingest().maxSeriesPerMetric();
    this.maxAnHour = settings.ingest().maxNewSeriesPerHour();
  }

  /**
   * Why no series may be created for this sender now, or null if it may; then it counts.
   *
   * @param own the sender's own limit per hour, or 0
   */
  String refusal(SeriesKey key, String sender, int own) {
    int known = store.catalog().size(key.store(), key.metric());
    if (known >= maxOfMetric) {
      return "metric %s has %,d series, which is the limit; the usual cause is a label whose values keep changing"
          .formatted(key.metric(), known);
    }
    if (store.nameBytes() >= MAX_NAMES) {
      return "the names and labels of all series take %,d MB of memory, the limit; give the server more"
          .formatted(store.nameBytes() / 1_000_000);
    }
    long hour = Math.floorDiv(clock.millis(), Durations.HOUR);
    var now =
        hours.merge(
            sender,
            new Hour(hour, 1),
            (old, one) -> old.hour() == hour ? new Hour(hour, old.made() + 1) : one);
    int max = own > 0 ? Math.min(own, maxAnHour) : maxAnHour;
    return now.made() > max
        ? "%s has created %,d series this hour, which is the limit".formatted(sender, max)
        : null;
  }
}
