package vintrel.collector;

import java.util.List;
import java.util.Map;

/** Something on this host that can be read. */
public interface Input {
  List<Reading> read();

  /**
   * One value.
   *
   * @param counter whether it is a running total
   * @param unit a UCUM code
   */
  record Reading(
      String metric, boolean counter, String unit, double value, Map<String, String> labels) {}
}
