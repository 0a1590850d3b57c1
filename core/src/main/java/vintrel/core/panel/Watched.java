package vintrel.core.panel;

import java.util.List;

/**
 * What rules that watch the series of a panel have to say in it.
 *
 * @param limits those that are values
 * @param raised when they were raised, by time
 */
public record Watched(List<WatchedLimit> limits, List<Raised> raised) {
  public static final Watched NONE = new Watched(List.of(), List.of());

  public Watched {
    limits = List.copyOf(limits);
    raised = List.copyOf(raised);
  }

  /**
   * A stretch in which a rule was raised for something that is shown.
   *
   * @param from first ms
   * @param to last ms, exclusive
   * @param priority the highest of its alerts then
   * @param rule its name
   * @param title of the rule
   */
  public record Raised(long from, long to, String priority, String rule, String title) {}
}
