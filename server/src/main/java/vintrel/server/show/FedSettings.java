package vintrel.server.show;

import com.fasterxml.jackson.annotation.JsonInclude;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Feeding;
import vintrel.core.panel.Fed;
import vintrel.core.panel.Feed;
import vintrel.core.picture.Glimpse;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;
import vintrel.server.ask.Queries;

/**
 * The settings of a panel that its lines feed.
 *
 * @param panel with the numbers in their places
 * @param values what is shown beside the settings, by their places; null if no line feeds any
 */
record FedSettings(Dashboard.Panel panel, Map<String, FedSettings.Value> values) {
  private static final int COLUMNS = 240;

  /**
   * What a line gave for a setting.
   *
   * @param text the number that holds, in words: that of the line, or the one otherwise
   * @param at when the line had it, ms; 0: it has no times
   * @param words where it was in the range, in words; or empty
   * @param fault why the number of the line does not hold, or null
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Value(String line, String text, long at, String words, Glimpse course, String fault) {}

  static FedSettings of(Dashboard.Panel panel, Queries.Answered answered, Queries.Ask ask) {
    if (panel.fed().isEmpty() || answered == null) {
      return new FedSettings(panel, null);
    }
    var range = ask.range();
    var lines = new HashMap<String, Fed>();
    for (var name : Feeding.lines(panel)) {
      lines.put(name, Fed.of(name, answered.answer().of(name), range.to()));
    }
    var resolved = Feeding.resolve(panel, lines::get);
    var values = new LinkedHashMap<String, Value>();
    panel
        .fed()
        .forEach(
            (place, feed) -> {
              var line = lines.get(feed.line());
              var fault = line.fault().isEmpty() ? resolved.faults().get(place) : line.fault();
              var unit = Units.known(panel.unit()) ? panel.unit() : line.unit();
              values.put(place, value(feed, line, fault, unit, range));
            });
    return new FedSettings(resolved.panel(), values);
  }

  private static Value value(Feed feed, Fed line, String fault, String unit, TimeText.Range range) {
    var holds = fault == null ? Double.valueOf(line.value()) : feed.otherwise();
    var text = holds == null ? "auto" : Units.format(holds, unit);
    var course = line.course();
    if (course == null) {
      return new Value(feed.line(), text, line.time(), "", null, fault);
    }
    double low = Double.POSITIVE_INFINITY;
    double high = Double.NEGATIVE_INFINITY;
    for (int i = course.indexOf(range.from()); i < course.indexOf(range.to()); i++) {
      double v = course.values()[i];
      low = Double.isFinite(v) ? Math.min(low, v) : low;
      high = Double.isFinite(v) ? Math.max(high, v) : high;
    }
    var words = low > high ? "" : Units.range(low, high, unit) + " in this range";
    var glimpse = Glimpse.of(List.of(course), range.from(), range.to(), COLUMNS);
    return new Value(feed.line(), text, line.time(), words, glimpse, fault);
  }
}
