package vintrel.core.slow;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.Evaluator;
import vintrel.core.query.Sets;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.syntax.Parser;

/** Tables of random queries, made row by row from what the slow evaluator gives. */
class SlowTablesTest {
  private record Row(long time, Map<String, String> labels, double value) {}

  private final SlowData data = SlowComparison.data(7);
  private final HeadsSource source = new HeadsSource(data);
  private final int[] all = data.part(1);

  private Frame table(SlowComparison c, String steps) {
    var engine = new Evaluator(source, Limits.DEFAULT);
    var query = Parser.parse("(" + c.last() + ")" + steps);
    return Sets.table(engine.evaluate(query, c.request()).lines().getLast().set());
  }

  private static Column column(Frame frame, String name) {
    return frame.columns().stream().filter(c -> c.name().equals(name)).findFirst().orElseThrow();
  }

  private static double number(Frame frame, String name, int row) {
    return ((Column.Number) column(frame, name)).values()[row];
  }

  @Test
  void tablesHoldWhatTheirRowsSay() {
    source.arrive(all);
    int grouped = 0;
    for (long seed = 1; grouped < 100; seed++) {
      var c = SlowComparison.random(70_000 + seed, data);
      // Series that are paired by some labels may have the same ones, which a map does not hold.
      boolean apart = c.isOneLine() && !c.last().matches("(?s).*(huge| on \\().*");
      var result = apart ? c.expected(all) : null;
      if (result == null || result.series().isEmpty()) {
        continue;
      }
      var rows = new ArrayList<Row>();
      result
          .series()
          .forEach(
              (labels, v) -> {
                for (int i = 0; i < v.length; i++) {
                  if (!Double.isNaN(v[i])) {
                    rows.add(new Row(result.times()[i], labels, v[i]));
                  }
                }
              });
      double scale = rows.stream().mapToDouble(r -> Math.abs(r.value())).max().orElse(1) + 1;
      order(c, rows, scale);
      if (rows.stream().allMatch(r -> r.labels().containsKey("host"))) {
        grouped++;
        groups(c, rows, scale);
      }
    }
  }

  private void groups(SlowComparison c, List<Row> rows, double scale) {
    var byHost = new TreeMap<String, List<Row>>();
    rows.forEach(
        r -> byHost.computeIfAbsent(r.labels().get("host"), k -> new ArrayList<>()).add(r));
    var made = table(c, " then rows then group by host: mean value, max value, count value");
    assertThat(made.rows()).as(c.toString()).isEqualTo(byHost.size());
    for (int i = 0; i < made.rows(); i++) {
      var of = byHost.get(((Column.Text) column(made, "host")).values()[i]);
      double mean = of.stream().mapToDouble(Row::value).average().orElseThrow();
      double max = of.stream().mapToDouble(Row::value).max().orElseThrow();
      assertThat(number(made, "mean value", i)).as(c + "").isCloseTo(mean, within(1e-8 * scale));
      assertThat(number(made, "max value", i)).as(c + "").isCloseTo(max, within(1e-8 * scale));
      assertThat(number(made, "count value", i)).as(c + "").isEqualTo(of.size());
    }
  }

  private void order(SlowComparison c, List<Row> rows, double scale) {
    var twice =
        rows.stream().mapToDouble(r -> r.value() * 2).filter(v -> v > 0.7438).sorted().toArray();
    var made =
        table(
            c,
            " then rows then compute double = value * 2 then where double > 0.7438"
                + " then sort by double descending then limit 9");
    assertThat(made.rows()).as(c.toString()).isEqualTo(Math.min(9, twice.length));
    for (int i = 0; i < made.rows(); i++) {
      assertThat(number(made, "double", i))
          .as(c.toString())
          .isCloseTo(twice[twice.length - 1 - i], within(1e-8 * scale));
    }
  }
}
