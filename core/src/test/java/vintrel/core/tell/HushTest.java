package vintrel.core.tell;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Set;
import org.junit.jupiter.api.Test;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Labels;
import vintrel.core.watch.Priority;

class HushTest {
  private static final long HOUR = 3_600_000;
  private static final Labels MID = Labels.of("site", "mid-isles");

  /** From the epoch on, daily. */
  private static Window window(String name, String when, long lasts, boolean critical) {
    var schedule =
        new Schedule(
            LocalDateTime.of(1970, 1, 1, 0, 0), lasts, "FREQ=DAILY", ZoneOffset.UTC, Set.of());
    return new Window(name, name, Parser.parseCondition(when), when, schedule, critical);
  }

  private static Route route(String name, String... hush) {
    var all = Parser.parseCondition("");
    return new Route(name, all, "", List.of("duty"), true, Pacing.EACH, List.of(hush));
  }

  private static String source(Hush.Reason reason) {
    return reason == null ? "" : reason.source();
  }

  @Test
  void aWindowThatRowsNameHushesThemAlone() {
    var named = route("named", "works");
    var other = route("other");
    var hush =
        new Hush(List.of(), List.of(window("works", "", HOUR, false)), List.of(named, other));
    assertThat(source(hush.of("a", MID, Priority.HIGH, named, 0))).isEqualTo("window works");
    assertThat(hush.of("a", MID, Priority.HIGH, other, 0)).isNull();
    assertThat(hush.of("a", MID, Priority.HIGH, named, HOUR)).as("over").isNull();
    assertThat(source(hush.of("a", MID, Priority.HIGH, named, 24 * HOUR))).isNotEmpty();
  }

  @Test
  void aWindowWithoutConditionThatNoRowNamesHushesNothing() {
    var route = route("all");
    var hush = new Hush(List.of(), List.of(window("works", "", HOUR, true)), List.of(route));
    assertThat(hush.of("a", MID, Priority.LOW, route, 0)).isNull();
  }

  @Test
  void ofSeveralTheLastToEndCountsAndCriticalAlertsPass() {
    var route = route("all");
    var hush =
        new Hush(
            List.of(),
            List.of(
                window("short", "site = 'mid-isles'", HOUR, true),
                window("long", "site exists", 3 * HOUR, false),
                window("elsewhere", "site = 'north-quay'", 9 * HOUR, false)),
            List.of(route));
    var reason = hush.of("a", MID, Priority.HIGH, route, 0);
    assertThat(reason.source()).isEqualTo("window long");
    assertThat(reason.until()).isEqualTo(3 * HOUR);
    assertThat(source(hush.of("a", MID, Priority.CRITICAL, route, 0))).isEqualTo("window short");
    assertThat(hush.of("a", MID, Priority.CRITICAL, route, 2 * HOUR)).isNull();
    assertThat(hush.of("a", Labels.NONE, Priority.HIGH, route, 0)).isNull();
  }

  @Test
  void aShelfOfOneAlertIsForNoOther() {
    var shelf = new Shelf(7, "a", Parser.parseCondition(""), "", "painting", "kim", 5, 10, false);
    var hush = new Hush(List.of(shelf), List.of(), List.of());
    var route = route("all");
    assertThat(source(hush.of("a", MID, Priority.HIGH, route, 5))).isEqualTo("shelf 7");
    assertThat(hush.of("b", MID, Priority.HIGH, route, 5)).isNull();
    assertThat(hush.of("a", MID, Priority.CRITICAL, route, 5)).isNull();
    assertThat(hush.of("a", MID, Priority.HIGH, route, 4)).isNull();
    assertThat(hush.of("a", MID, Priority.HIGH, route, 10)).isNull();
  }
}
