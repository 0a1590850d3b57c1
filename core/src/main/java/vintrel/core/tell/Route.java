package vintrel.core.tell;

import java.util.List;
import vintrel.core.series.Condition;

/**
 * A row of the routing table.
 *
 * @param when the labels that the row is for
 * @param more whether later rows are tried as well
 * @param hush names of maintenance windows in which the row notifies nobody
 */
public record Route(
    String name,
    Condition when,
    String whenText,
    List<String> recipients,
    boolean more,
    Pacing pacing,
    List<String> hush) {
  public Route {
    recipients = List.copyOf(recipients);
    hush = List.copyOf(hush);
  }
}
