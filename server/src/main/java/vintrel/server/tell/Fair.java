package vintrel.server.tell;

import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** Which of the deliveries that wait go now. */
final class Fair {
  private Fair() {}

  /**
   * Chooses deliveries in their order, one of each address before a second of any.
   *
   * @param waiting id, channel and address of each, oldest first
   * @param inFlight by id, the address that each goes to
   * @param ofOne in flight to one address at most
   * @param atOnce in flight at most
   * @return by id, the address
   */
  static Map<Long, String> choose(
      List<Object[]> waiting, Map<Long, String> inFlight, int ofOne, int atOnce) {
    var busy = new HashMap<String, Integer>();
    inFlight.values().forEach(a -> busy.merge(a, 1, Integer::sum));
    var out = new LinkedHashMap<Long, String>();
    int room = atOnce - inFlight.size();
    for (int round = 1; round <= ofOne; round++) {
      for (var row : waiting) {
        if (out.size() >= room) {
          return out;
        }
        long id = (Long) row[0];
        var address = row[1] + " " + row[2];
        boolean free = busy.getOrDefault(address, 0) < round;
        if (free && !inFlight.containsKey(id) && !out.containsKey(id)) {
          out.put(id, address);
          busy.merge(address, 1, Integer::sum);
        }
      }
    }
    return out;
  }
}
