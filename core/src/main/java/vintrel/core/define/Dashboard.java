package vintrel.core.define;

import java.util.List;

/**
 * Panels on a grid of 12 columns.
 *
 * @param name the slug in addresses and files
 */
public record Dashboard(
    String name, String title, String folder, List<Control> controls, List<Panel> panels) {

  /** A pick list over the values of a label, which panels use as $name. */
  public record Control(String name, String title, String label, String metric) {}

  /** How a panel shows its answer. */
  public enum Show {
    LINES,
    NUMBER,
    TABLE
  }

  /** A value drawn across the panel. */
  public record LimitLine(double value, String direction, String priority) {}

  /**
   * @param id unique within the dashboard
   * @param column from 1 to 12
   * @param row from 1; rows are 40 px high
   * @param legend table, names or none
   */
  public record Panel(
      String id,
      String title,
      Show show,
      int column,
      int row,
      int width,
      int height,
      String query,
      String unit,
      String legend,
      List<LimitLine> limits) {}
}
