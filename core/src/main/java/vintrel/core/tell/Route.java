package vintrel.core.tell;

import java.util.List;
import vintrel.core.series.Condition;

/**
 * A row of the routing table.
 *
 * @param when the labels that the row is for
 * @param more whether later rows are tried as well
 */
public record Route(
    String name, Condition when, String whenText, List<String> recipients, boolean more) {
  public Route {
    recipients = List.copyOf(recipients);
  }
}
