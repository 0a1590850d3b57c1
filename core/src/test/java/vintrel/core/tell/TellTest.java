package vintrel.core.tell;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.time.ZoneOffset;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.watch.Limit;
import vintrel.core.watch.LimitTest;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Rule;
import vintrel.core.watch.Transition;
import vintrel.core.watch.WatchState;

class TellTest {
  private static Route route(String name, String when, boolean more, String... to) {
    return new Route(
        name, Parser.parseCondition(when), when, List.of(to), more, Pacing.EACH, List.of());
  }

  private final RoutingTable table =
      new RoutingTable(
          List.of(
              route("urgent", "priority = 'critical'", true, "on-call"),
              route("quays", "team = 'operations'", false, "quay", "room"),
              route("rest", "", false, "platform")));

  private List<DeliveryPlan.Row> rows(Labels labels) {
    var plan = new DeliveryPlan(table, List.of(), Hush.NONE);
    return plan.rows("", labels, null, 0);
  }

  private List<String> told(Labels labels) {
    return rows(labels).stream().flatMap(r -> r.recipients().stream()).toList();
  }

  @Test
  void rowsAreTriedInOrderUntilOneEndsTheSearch() {
    assertThat(told(Labels.of("team", "operations"))).containsExactly("quay", "room");
    assertThat(told(Labels.of("team", "operations", "priority", "critical")))
        .containsExactly("on-call", "quay", "room");
    assertThat(told(Labels.NONE)).containsExactly("platform");
  }

  @Test
  void everyRowSaysWhy() {
    assertThat(rows(Labels.of("team", "operations")))
        .extracting(r -> r.verdict().text() + ": " + r.why())
        .containsExactly("no: no label priority", "match: ", "not reached: row 2 stops");
    assertThat(rows(Labels.of("team", "ships", "priority", "low")))
        .extracting(DeliveryPlan.Row::why)
        .containsExactly("priority is low", "team is ships", "");
  }

  @Test
  void aTableWithoutADefaultIsRefused() {
    assertThatThrownBy(() -> new RoutingTable(List.of(route("a", "x = '1'", false, "b"))))
        .hasMessageContaining("default");
    assertThat(Parser.parseCondition(" ")).isEqualTo(Condition.ALL);
  }

  @Test
  void waitsDoubleAndEndAfterADay() {
    assertThat(Backoff.after(1, 0, 0)).isEqualTo(5_000);
    assertThat(Backoff.after(4, 0, 0)).isEqualTo(40_000);
    assertThat(Backoff.after(4, 0, 1)).isEqualTo(30_000);
    assertThat(Backoff.after(60, 1000, 0)).isEqualTo(3_600_000);
    assertThat(Backoff.after(60, Backoff.GIVE_UP, 0)).isEqualTo(-1);
    assertThat(Backoff.refused(404)).isTrue();
    assertThat(Backoff.refused(429)).isFalse();
    assertThat(Backoff.refused(503)).isFalse();
  }

  private static MessageText message(String summary) {
    var rule =
        new Rule(
            "disk",
            "Disk nearly full",
            "",
            "",
            "m",
            "",
            List.of(Limit.of(LimitTest.Direction.ABOVE, 90, Priority.HIGH, 0, 60_000, 0)),
            "%",
            5_000,
            0,
            Rule.Missing.SHOW,
            60_000,
            600_000,
            Rule.Missing.SHOW,
            300_000,
            Map.of(),
            summary,
            "",
            "",
            "Platform team",
            false,
            Rule.Learning.USUAL);
    var t =
        new Transition(
            Transition.Change.RAISED,
            WatchState.BUILDING,
            WatchState.RAISED,
            0,
            92.51,
            Priority.HIGH,
            "92.5 % has been above 90 % for 1 min");
    return MessageText.of(
        MessageText.fields(
            rule, Labels.of("host", "sr-db-1"), t, "/watch/rules/disk", ZoneOffset.UTC, false));
  }

  @Test
  void aMessageReadsAsItShould() {
    var m = message("The disk of {{labels.host}} is {{value}} full");
    assertThat(m.subject()).isEqualTo("raised (high): Disk nearly full, host sr-db-1");
    assertThat(m.body())
        .isEqualTo(
            """
            The disk of sr-db-1 is 92.5 % full

            92.5 % has been above 90 % for 1 min

            Rule:      Disk nearly full
            Series:    host sr-db-1
            State:     Raised
            Time:      Thu 1 Jan 1970 00:00:00 Z
            Owner:     Platform team
            Open:      /watch/rules/disk
            """);
  }

  @Test
  void aMissingFieldOrABrokenTemplateNeverBreaksAMessage() {
    assertThat(message("On {{labels.nowhere}} {{unheard.of}}!").body()).startsWith("On  !");
    assertThat(message("{{#open}}").body()).startsWith("Disk nearly full");
  }
}
