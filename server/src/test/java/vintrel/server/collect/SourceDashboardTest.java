package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import vintrel.core.define.Dashboard;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.MetricKind;

class SourceDashboardTest {
  @Test
  void aHistogramIsTwoPanelsAndACounterARate() {
    var kinds =
        new TreeMap<>(
            Map.of(
                "http.wait.bucket", MetricKind.HISTOGRAM,
                "http.wait.count", MetricKind.HISTOGRAM,
                "http.wait.sum", MetricKind.HISTOGRAM,
                "http.wait.max", MetricKind.GAUGE,
                "jobs.count", MetricKind.COUNTER,
                "odd name", MetricKind.GAUGE));
    var panels = SourceDashboard.panels(kinds);
    assertThat(panels)
        .extracting(Dashboard.Panel::title)
        .containsExactly(
            "http.wait, median and 95 %", "http.wait, per second", "jobs.count", "odd name");
    assertThat(panels.getFirst().query())
        .contains("http.wait.bucket then rate then sum by le then quantile 0.95");
    assertThat(panels.get(2).query()).isEqualTo("jobs.count then rate");
    panels.forEach(p -> Parser.parse(p.query()));
    var board = Dashboard.empty("d", "D").withPairs(panels);
    assertThat(board.panels())
        .extracting(p -> List.of(p.place().column(), p.place().row()))
        .containsExactly(List.of(1, 1), List.of(7, 1), List.of(1, 8), List.of(7, 8));
  }
}
