package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleBatch;
import vintrel.server.RunningServer;
import vintrel.server.database.Database;

/** A row that the database refuses does not hold back others, and numbers are never given twice. */
class SeriesRowsTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static SeriesRow row(int id, String metric) {
    var row = new SeriesRow();
    row.id = id;
    row.store = "main";
    row.metric = metric;
    row.labels = "{}";
    row.kind = "GAUGE";
    row.unit = "";
    return row;
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3})
  void badRowsAreFoundAmongMany(long seed) {
    var random = new Random(seed);
    var database = server.bean(Database.class);
    var rows = new ArrayList<SeriesRow>();
    int bad = 0;
    for (int i = 0; i < 300; i++) {
      boolean wrong = random.nextInt(60) == 0;
      bad += wrong ? 1 : 0;
      rows.add(row(1_000_000 * (int) seed + i, wrong ? "x".repeat(700) : "rows." + i));
    }
    assertThat(SeriesRows.insert(database, rows)).hasSize(bad);
    assertThat(SeriesRows.insert(database, rows))
        .as("written by a try whose end nobody heard of: they are there")
        .hasSize(bad);
    rows.getFirst().metric = "another";
    assertThat(SeriesRows.insert(database, rows.subList(0, 1)))
        .as("its number is taken by another series")
        .hasSize(1);
  }

  @Test
  void aSeriesThatIsRefusedTakesItsSamplesWithItAndNoOthers() {
    var store = server.bean(DurableStore.class);
    var database = server.bean(Database.class);
    int next = store.nextId();
    // Somebody else has written a row of the number that comes next.
    database.run(s -> s.insert(row(next, "stray")));
    int refused = store.resolve(new SeriesKey("rows.refused", Labels.NONE), MetricKind.GAUGE, "");
    int kept = store.resolve(new SeriesKey("rows.kept", Labels.NONE), MetricKind.GAUGE, "");
    assertThat(refused).isEqualTo(next);
    long now = System.currentTimeMillis();
    var batch = new SampleBatch();
    batch.add(refused, now, 1);
    batch.add(kept, now, 2);
    var receipt = store.append(batch);
    assertThat(receipt.accepted()).isEqualTo(1);
    assertThat(receipt.homeless()).isEqualTo(1);
    assertThat(store.find(new SeriesKey("rows.refused", Labels.NONE))).isEqualTo(-1);
    int again = store.resolve(new SeriesKey("rows.refused", Labels.NONE), MetricKind.GAUGE, "");
    assertThat(again).isNotEqualTo(refused);
    var more = new SampleBatch();
    more.add(again, now, 3);
    assertThat(store.append(more).accepted()).isEqualTo(1);
    assertThatThrownBy(
            () -> store.resolve(new SeriesKey("x".repeat(600), Labels.NONE), MetricKind.GAUGE, ""))
        .isInstanceOf(IllegalArgumentException.class);
  }

  @Test
  void numbersGoOnAboveTheGreatest() {
    var database = server.bean(Database.class);
    database.run(
        s ->
            s.doWork(
                c -> {
                  try (var statement = c.createStatement()) {
                    statement.execute(
                        "insert into attempt (id, delivery_id, at, millis, ok, answer) values"
                            + " (9000, 1, 1, 1, true, '')");
                  }
                }));
    server.stop();
    server.start();
    server
        .bean(Database.class)
        .run(
            s ->
                s.doWork(
                    c -> {
                      try (var statement = c.createStatement()) {
                        statement.execute(
                            "insert into attempt (delivery_id, at, millis, ok, answer) values (1,"
                                + " 1, 1, true, '')");
                        try (var rows = statement.executeQuery("select max(id) from attempt")) {
                          rows.next();
                          assertThat(rows.getLong(1)).isEqualTo(9001);
                        }
                      }
                    }));
  }
}
