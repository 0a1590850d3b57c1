package vintrel.server.web;

import java.util.List;

/** What a part of the server says of itself, to be stored with the other metrics of Vintrel. */
public interface OwnMetrics {
  /**
   * A value of now.
   *
   * @param unit as UCUM writes it; empty
   * @param counter whether it only grows until a restart
   */
  record Value(String metric, String unit, boolean counter, double value) {}

  List<Value> own();
}
