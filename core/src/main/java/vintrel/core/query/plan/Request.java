package vintrel.core.query.plan;

import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Map;
import java.util.function.BooleanSupplier;

/**
 * The circumstances of a query.
 *
 * @param from inclusive, ms since the epoch
 * @param to exclusive
 * @param pitch ms of a bucket
 * @param origin a bucket begins here (0: the epoch); an instant query puts its end here
 * @param zone where days begin
 * @param store read if a source names none; empty: all stores
 * @param controls the values chosen for each control; an absent or empty one means all
 * @param fitted whether the pitch was chosen for the picture, not requested
 * @param moved ms by which buckets start earlier than usual: results are shown that much later
 * @param cap nothing after it is read for buckets, ms; {@link Long#MAX_VALUE}: no such end
 * @param cancelled polled between series; true ends the query with code {@code cancelled}
 */
public record Request(
    long from,
    long to,
    long pitch,
    long origin,
    ZoneId zone,
    String store,
    Map<String, List<String>> controls,
    BooleanSupplier cancelled,
    boolean fitted,
    long moved,
    long cap) {

  public Request(
      long from,
      long to,
      long pitch,
      long origin,
      ZoneId zone,
      String store,
      Map<String, List<String>> controls,
      BooleanSupplier cancelled,
      boolean fitted) {
    this(from, to, pitch, origin, zone, store, controls, cancelled, fitted, 0, Long.MAX_VALUE);
  }

  public static Request range(long from, long to, long pitch) {
    return new Request(from, to, pitch, 0, ZoneOffset.UTC, "", Map.of(), () -> false, false);
  }

  public Request with(Map<String, List<String>> newControls) {
    return new Request(from, to, pitch, origin, zone, store, newControls, cancelled, fitted);
  }

  public Request in(String newStore) {
    return new Request(from, to, pitch, origin, zone, newStore, controls, cancelled, fitted);
  }

  public Request at(ZoneId newZone) {
    return new Request(from, to, pitch, origin, newZone, store, controls, cancelled, fitted);
  }

  public Request until(BooleanSupplier newCancelled) {
    return new Request(from, to, pitch, origin, zone, store, controls, newCancelled, fitted);
  }

  /** With a pitch that was chosen to fit, so that an external store may choose another. */
  public Request fit() {
    return new Request(from, to, pitch, origin, zone, store, controls, cancelled, true);
  }

  /** The buckets over a range. */
  public Grid grid(long start, long end, long width) {
    return moved == 0
        ? Grid.covering(start, end, width, origin, zone)
        : Grid.covering(start + moved, end + moved, width, origin, zone).shifted(-moved);
  }

  /**
   * For results that are shown later by the given ms.
   *
   * @param more ms by which buckets start earlier than usual
   */
  public Request before(long millis, long more) {
    return new Request(
        from - millis,
        to - millis,
        pitch,
        origin,
        zone,
        store,
        controls,
        cancelled,
        fitted,
        moved + more,
        cap);
  }

  /** That does not look beyond its end, however far steps would. */
  public Request capped() {
    return new Request(
        from, to, pitch, origin, zone, store, controls, cancelled, fitted, moved, to);
  }
}
