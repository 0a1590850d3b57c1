package vintrel.server.collect;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.store.Retention;
import vintrel.core.store.Tier;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.server.store.NamedStores;
import vintrel.server.store.StoreUsage;

/** What keeping less would delete. */
final class Loss {
  private static final List<String> NAMES = List.of("raw samples", "1 min", "10 min", "1 h");

  private Loss() {}

  /**
   * What goes, in words; empty if nothing is kept for a shorter time. Judged by the time that each
   * resolution covers now: samples are taken as even over it.
   *
   * @param held contents of all stores
   */
  static String words(
      NamedStores.Named store, Retention wanted, List<StoreUsage.Held> held, long now) {
    var out = new ArrayList<String>();
    for (int code = 0; code <= Tier.ALL.size(); code++) {
      if (wanted.of(code) < store.retention().of(code)) {
        out.add(NAMES.get(code) + " " + part(store.name(), code, wanted.of(code), held, now));
      }
    }
    return String.join("; ", out);
  }

  private static String part(
      String store, int code, long kept, List<StoreUsage.Held> held, long now) {
    for (var h : held) {
      if (h.store().equals(store) && h.tier() == code && h.oldest() < now - kept) {
        double share = Math.min(1, (now - kept - h.oldest()) / (double) (now - h.oldest()));
        return "older than %d days (about %,d rows, %s)"
            .formatted(
                kept / Durations.DAY,
                Math.round(share * h.samples()),
                Units.format(share * h.bytes(), "By"));
      }
    }
    return "older than %d days (none is that old now)".formatted(kept / Durations.DAY);
  }
}
