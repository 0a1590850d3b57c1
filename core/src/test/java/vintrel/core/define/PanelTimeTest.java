package vintrel.core.define;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.time.Instant;
import java.time.ZoneId;
import org.junit.jupiter.api.Test;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;

class PanelTimeTest {
  private static final ZoneId OSLO = ZoneId.of("Europe/Oslo");

  private static String of(String time, String end) {
    long to = Instant.parse(end).toEpochMilli();
    var range = PanelTime.of(time, new TimeText.Range(to - Durations.HOUR, to), OSLO);
    return Instant.ofEpochMilli(range.from()) + " " + Instant.ofEpochMilli(range.to());
  }

  @Test
  void daysAreThoseOfTheZone() {
    // Half past midnight in Oslo is still the day before in UTC.
    var end = "2026-03-02T23:30:00Z";
    assertThat(of("", end)).isEqualTo("2026-03-02T22:30:00Z 2026-03-02T23:30:00Z");
    assertThat(of("today", end)).isEqualTo("2026-03-02T23:00:00Z 2026-03-02T23:30:00Z");
    assertThat(of("yesterday", end)).isEqualTo("2026-03-01T23:00:00Z 2026-03-02T23:00:00Z");
    assertThat(of("this week", end)).isEqualTo("2026-03-01T23:00:00Z 2026-03-02T23:30:00Z");
    assertThat(of("-24h", end)).isEqualTo("2026-03-01T23:30:00Z 2026-03-02T23:30:00Z");
  }

  @Test
  void aDayIsWholeOverAChangeOfTheClock() {
    assertThat(of("yesterday", "2026-03-30T10:00:00Z"))
        .isEqualTo("2026-03-28T23:00:00Z 2026-03-29T22:00:00Z");
    assertThat(of("this week", "2026-10-25T12:00:00Z"))
        .isEqualTo("2026-10-18T22:00:00Z 2026-10-25T12:00:00Z");
  }

  @Test
  void whatEndsAtMidnightIsOfTheDayBefore() {
    assertThat(of("today", "2026-03-02T23:00:00Z"))
        .isEqualTo("2026-03-01T23:00:00Z 2026-03-02T23:00:00Z");
  }

  @Test
  void everyWordThatADocumentMayHaveIsARange() {
    for (var time : new String[] {"today", "yesterday", "this week", "-30s", "-90m", "-0m"}) {
      assertThat(of(read(time), "2026-03-02T12:00:00Z")).as(time).isNotBlank();
    }
    assertThatThrownBy(() -> read("tomorrow"))
        .isInstanceOf(DefinitionException.class)
        .hasMessageContaining("time: must be today, yesterday, this week");
  }

  private static String read(String time) {
    var text =
        "kind: dashboard\nname: d\ntitle: D\npanels:\n- {title: A, at: [1, 1, 6, 6], query: m, time: %s}"
            .formatted(time);
    var d = (Definition.OfDashboard) Bundle.parse(text).documents().getFirst().definition();
    return d.dashboard().panels().getFirst().time();
  }
}
