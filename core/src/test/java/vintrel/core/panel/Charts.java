package vintrel.core.panel;

import java.time.ZoneId;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.picture.Palette;
import vintrel.core.series.Labels;

/** Panels of documents over frames that tests make: one value each minute, from time 0 on. */
final class Charts {
  private Charts() {}

  static Column.Number series(String name, String unit, double... values) {
    return new Column.Number(name, unit, Labels.of("host", name), values, null, null);
  }

  static Frame frame(String line, Column.Number... series) {
    var times = new long[series[0].size()];
    Arrays.setAll(times, i -> 60_000L * i);
    var columns = new ArrayList<Column>();
    columns.add(new Column.Time("time", times));
    columns.addAll(List.of(series));
    return new Frame(line, columns);
  }

  static Asked asked(List<Frame> frames, List<Frame> earlier, Limit... limits) {
    return new Asked(
        List.of(),
        frames,
        earlier,
        0,
        300_000,
        ZoneId.of("Europe/London"),
        "",
        List.of(limits),
        600,
        200,
        540,
        170,
        new Palette());
  }

  /** A time chart of a document's options. */
  static TimeChart chart(String options) {
    return (TimeChart) kind("time-chart", options);
  }

  static PanelKind kind(String word, String options) {
    var text =
        "kind: dashboard\nname: d\ntitle: D\npanels:\n- {title: A, kind: %s, at: [1, 1, 6, 6], query: m, options: %s}"
            .formatted(word, options);
    var d = (Definition.OfDashboard) Bundle.parse(text).documents().getFirst().definition();
    return d.dashboard().panels().getFirst().kind();
  }

  static Drawing.Chart draw(String options, Frame... frames) {
    return (Drawing.Chart) chart(options).draw(asked(List.of(frames), List.of()));
  }
}
