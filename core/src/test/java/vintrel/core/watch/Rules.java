package vintrel.core.watch;

import java.util.List;
import java.util.Map;

/** Rules of tests. */
final class Rules {
  private Rules() {}

  /**
   * A rule that says no data after a minute.
   *
   * @param faultAfter ms
   * @param closeAfter ms
   */
  static Rule of(
      Rule.Missing missing,
      Rule.Missing fault,
      long faultAfter,
      long closeAfter,
      String unit,
      Limit... limits) {
    return new Rule(
        "r",
        "R",
        "",
        "",
        "m",
        "",
        List.of(limits),
        unit,
        5_000,
        0,
        missing,
        60_000,
        closeAfter,
        fault,
        faultAfter,
        Map.of(),
        "",
        "",
        "",
        "",
        false,
        Rule.Learning.USUAL);
  }
}
