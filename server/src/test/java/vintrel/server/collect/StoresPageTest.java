package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.Retention;
import vintrel.core.store.SampleBatch;
import vintrel.core.unit.Durations;
import vintrel.server.Pages;
import vintrel.server.RunningServer;
import vintrel.server.store.DurableStore;
import vintrel.server.store.LogStore;
import vintrel.server.store.NamedStores;
import vintrel.server.store.StoreUsage;

class StoresPageTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  @BeforeAll
  static void samples() {
    long now = System.currentTimeMillis();
    var store = server.bean(DurableStore.class);
    for (var site : List.of("north-quay", "mid-isles")) {
      int id =
          store.resolve(new SeriesKey("sp.load", Labels.of("site", site)), MetricKind.GAUGE, "%");
      var batch = new SampleBatch();
      for (long t = now - 3 * Durations.DAY; t < now; t += 30_000) {
        batch.add(id, t, t % 97);
      }
      store.append(batch);
    }
    server.bean(NamedStores.class).put("young", Retention.of(90 * Durations.DAY), "test");
    int young =
        store.resolve(
            new SeriesKey("young", "sp.young", Labels.of("site", "yard")), MetricKind.GAUGE, "%");
    var hour = new SampleBatch();
    for (long t = now - Durations.HOUR; t <= now; t += 10_000) {
      hour.add(young, t, t % 89);
    }
    store.append(hour);
    server.stop();
    server.start();
  }

  @Test
  void aStoreOfAnHourIsExtrapolatedToADay() {
    var usage = server.bean(StoreUsage.class);
    assertThat(usage.lived("young")).isEqualTo(Durations.HOUR);
    assertThat(usage.lived("main")).isEqualTo(Durations.DAY);
    double samples =
        usage.day().stream()
            .map(StoreUsage.OfSeries::usage)
            .filter(u -> u.store().equals("young") && u.tier() == 0)
            .mapToDouble(u -> u.samples())
            .sum();
    assertThat(samples).isCloseTo(8640, within(30.0));
    assertThat(
            pages()
                .text(
                    get("/collect/stores").param("changed", "young").param("days", days("young"))))
        .contains("Extrapolated from the 1 h on disk so far.");
  }

  private static Pages pages() {
    return new Pages(server, "ADMIN");
  }

  @Test
  void aStoreSaysWhatItHoldsAndWhatADayBrings() {
    var page = pages().text(get("/collect/stores"));
    assertThat(page).contains("main", "Storage per day", "sp.load", "5,7");
    var bySite = pages().text(get("/collect/stores").param("by", "site"));
    assertThat(bySite).contains("Label site", "north-quay", "mid-isles");
    assertThat(pages().text(get("/collect/stores").param("by", "no such label")))
        .contains("Storage per day by");
  }

  @Test
  void aChangeIsWorkedOutBeforeItIsMade() {
    var same =
        pages().text(get("/collect/stores").param("days", days("main")).param("interval", "1"));
    assertThat(same).contains("no change at full retention");
    var half =
        pages().text(get("/collect/stores").param("days", days("main")).param("interval", "2"));
    assertThat(half).contains("less at full retention");
    assertThat(
            pages().text(get("/collect/stores").param("days", days("main")).param("interval", "x")))
        .contains("the interval must be a time such as `10 s`");
    assertThat(
            pages()
                .text(get("/collect/stores").param("days", days("main")).param("interval", "1 ms")))
        .contains("more at full retention", "Based on the latest day");
    assertThat(pages().html(get("/collect/stores").param("changed", "young")))
        .as("another store is estimated with its own retention")
        .containsPattern("id=\"days0\"[^>]*value=\"90\"");
    assertThat(pages().text(get("/collect/stores").param("days", "1", "2")))
        .contains("enter the days for raw");
  }

  @Test
  void keepingLessIsForAdministratorsAndSaysWhatItDeletesFirst() {
    server.bean(NamedStores.class).put("short", Retention.of(90 * Durations.DAY), "test");
    var before = server.bean(NamedStores.class).get("short").retention();
    var less = days("short");
    less[0] = "2";
    var editor = new Pages(server, "EDITOR");
    var change = "/collect/stores/short";
    assertThat(editor.send(post(change).param("days", less)).getStatus()).isEqualTo(403);
    assertThat(
            editor
                .send(post(change).param("days", less).param("confirmed", String.join(",", less)))
                .getStatus())
        .isEqualTo(403);
    assertThat(pages().text(post(change).param("days", less)))
        .contains("This permanently deletes raw samples older than 2 days");
    assertThat(pages().text(post(change).param("days", less).param("confirmed", "1,1,1,1")))
        .as("confirmed for other days")
        .contains("This permanently deletes raw samples");
    assertThat(server.bean(NamedStores.class).get("short").retention()).isEqualTo(before);
    var more = days("short");
    more[3] = "7000";
    assertThat(editor.send(post(change).param("days", more)).getRedirectedUrl())
        .as("an editor may keep more")
        .isEqualTo("/collect/stores");
    less[3] = "7000";
    assertThat(
            pages()
                .send(post(change).param("days", less).param("confirmed", String.join(",", less)))
                .getRedirectedUrl())
        .isEqualTo("/collect/stores");
    assertThat(days("short")).isEqualTo(less);
  }

  @Test
  void whatWouldGoIsCountedByTheTimeThatIsCovered() {
    var named =
        server.bean(NamedStores.class).put("loss", Retention.of(90 * Durations.DAY), "test");
    long now = 100 * Durations.DAY;
    var held =
        List.of(
            new vintrel.server.store.StoreUsage.Held("loss", 0, 1_000, 8_000, 60 * Durations.DAY));
    var wanted =
        new Retention(
            10 * Durations.DAY,
            named.retention().minute(),
            named.retention().tenMinutes(),
            named.retention().hour());
    assertThat(Loss.words(named, wanted, held, now))
        .isEqualTo("raw samples older than 10 days (about 750 rows, 6 kB)");
    assertThat(Loss.words(named, named.retention(), held, now)).isEmpty();
  }

  private static String[] days(String name) {
    var r = server.bean(NamedStores.class).get(name).retention();
    return new String[] {
      "" + r.raw() / Durations.DAY,
      "" + r.minute() / Durations.DAY,
      "" + r.tenMinutes() / Durations.DAY,
      "" + r.hour() / Durations.DAY
    };
  }

  @Test
  void aStoreIsMadeAndChangedAndMistakesKeepWhatWasTyped() {
    var made =
        pages()
            .send(post("/collect/stores").param("name", "lab").param("days", "2", "3", "4", "5"));
    assertThat(made.getStatus()).isEqualTo(302);
    assertThat(server.bean(NamedStores.class).get("lab").retention().hour())
        .isEqualTo(5 * Durations.DAY);
    assertThat(
            pages()
                .text(
                    post("/collect/stores").param("name", "lab").param("days", "2", "3", "4", "5")))
        .contains("a store named `lab` already exists");
    var wrong =
        pages()
            .send(
                post("/collect/stores").param("name", "pier").param("days", "2", "soon", "4", "5"));
    assertThat(wrong.getStatus()).isEqualTo(200);
    assertThat(body(wrong)).contains("days must be whole numbers, not", "value=\"pier\"", "soon");
    assertThat(server.bean(NamedStores.class).get("pier")).isNull();
    assertThat(
            pages()
                .text(
                    post("/collect/stores")
                        .param("name", "pier")
                        .param("days", "9", "3", "4", "5")))
        .contains("a coarser resolution must be at least that of a finer one");
    assertThat(body(pages().send(post("/collect/stores/lab").param("days", "777", "6", "7", "8"))))
        .as("what was typed in its row stays")
        .contains("value=\"777\"");
    pages().send(post("/collect/stores/lab").param("days", "5", "6", "7", "8"));
    assertThat(server.bean(NamedStores.class).get("lab").retention().raw())
        .isEqualTo(5 * Durations.DAY);
  }

  private static String body(org.springframework.mock.web.MockHttpServletResponse response) {
    try {
      return response.getContentAsString();
    } catch (java.io.UnsupportedEncodingException e) {
      throw new IllegalStateException(e);
    }
  }

  @Test
  void logRecordsAreCountedPackedOrNot() {
    var events = server.bean(LogStore.class);
    long now = System.currentTimeMillis();
    var some = new ArrayList<Event>();
    for (int i = 0; i < 4200; i++) {
      some.add(new Event(0, "", now - i, "info", "record " + i, Labels.NONE, ""));
    }
    events.append("main", some, "test");
    events.pack();
    assertThat(events.kept().records()).isEqualTo(4200);
    assertThat(events.kept().bytes()).isBetween(1000L, 100_000L);
    assertThat(pages().text(get("/collect/stores")))
        .contains("Events: 4,200 (packed: ", "kept for 14 days");
  }

  @Test
  void whoOnlyLooksMayNotChangeAStore() {
    var viewer = new Pages(server, "VIEWER");
    assertThat(viewer.send(get("/collect/stores")).getStatus()).isEqualTo(200);
    assertThat(
            viewer.send(post("/collect/stores/main").param("days", "2", "3", "4", "5")).getStatus())
        .isEqualTo(403);
  }
}
