package vintrel.core.query;

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
 * @param store asked where a source names none; empty: all stores
 * @param controls the values chosen for each control; an absent or empty one means all
 * @param cancelled asked between series; true ends the query with code {@code cancelled}
 */
public record Request(
    long from,
    long to,
    long pitch,
    long origin,
    String store,
    Map<String, List<String>> controls,
    BooleanSupplier cancelled) {

  public static Request range(long from, long to, long pitch) {
    return new Request(from, to, pitch, 0, "", Map.of(), () -> false);
  }

  public Request with(Map<String, List<String>> newControls) {
    return new Request(from, to, pitch, origin, store, newControls, cancelled);
  }

  public Request in(String newStore) {
    return new Request(from, to, pitch, origin, newStore, controls, cancelled);
  }
}
