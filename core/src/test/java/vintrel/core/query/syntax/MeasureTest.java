package vintrel.core.query.syntax;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import vintrel.core.series.Labels;

class MeasureTest {
  private static final Labels A = Labels.of("host", "a", "site", "north");
  private static final Labels B = Labels.of("host", "b", "site", "south");

  private static Measure of(String text) {
    return Measure.of(Parser.parse(text), "");
  }

  private static Set<Labels> shown(String rule, List<Labels> mine, String panel, List<Labels> is) {
    return of(rule).shownBy(mine, of(panel), is);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "a.x then mean every 5m | a.x then p95 every 1m then label as 'x'",
        "a.x then max by host | a.x then smooth over 5m then top 3",
        "a.x then rate per minute then sum by gate | a.x then rate per minute every 5m then sum",
        "a.x then rate then max by host then mean over 15m | a.x then rate then gap after 1m",
        "a.x * 8 | (a.x then max) * 8",
      })
  void theSameIsMeasured(String one, String other) {
    assertThat(of(one).form()).isEqualTo(of(other).form());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "a.x | a.y",
        "a.x then rate | a.x then rate per minute",
        "a.x then rate | a.x then increase every 1m",
        "a.x then sum by host | a.x then mean by host",
        "a.x then sum by host | a.x",
        "a.x | a.x * 8",
        "a.x / a.y | a.y / a.x",
        "a.x then sum every 5m | a.x",
        "a.x then sum every 5m | a.x then sum every 10m",
        "a.x | a.x then shift 1d",
        "a.x | a.x then change every 5m",
      })
  void anotherThingIsMeasured(String one, String other) {
    assertThat(of(one).form()).isNotEqualTo(of(other).form());
  }

  @Test
  void linesAreFollowed() {
    var of = "hidden bad: a.x then rate\nhidden all: a.y then rate\nshare: bad / all missing 0";
    var alone = "(a.x then rate) / (a.y then rate) missing 0";
    assertThat(Measure.of(Parser.parse(of), "share").form().replace("((", "(").replace("))", ")"))
        .isEqualTo(of(alone).form().replace("((", "(").replace("))", ")"));
    assertThat(of(of)).isEqualTo(Measure.of(Parser.parse(of), "share"));
  }

  @Test
  void whatIsNoSeriesOfMetricsIsNotLookedAt() {
    assertThat(of("events then count every 1m")).isNull();
    assertThat(of("a.x then rows")).isNull();
    assertThat(of("3 + 4")).isNull();
    assertThat(Measure.of(Parser.parse("a: a.x\nb: a.y"), "")).isNull();
    assertThat(Measure.of(Parser.parse("a: a.x"), "c")).isNull();
  }

  @Test
  void linesThatDoubleEachOtherEnd() {
    var text = new StringBuilder("l0: a.x\n");
    for (int i = 1; i < 40; i++) {
      text.append("l%d: l%d + l%d\n".formatted(i, i - 1, i - 1));
    }
    assertThat(Measure.of(Parser.parse(text.toString()), "l39")).isNull();
  }

  @Test
  void seriesOfTheSameLabelsAreShown() {
    assertThat(shown("a.x then max by host, site", List.of(A, B), "a.x", List.of(A)))
        .containsExactly(A);
    // With fewer labels, and with more.
    assertThat(shown("a.x then max by host, site", List.of(A, B), "a.x then max", List.of()))
        .isEmpty();
    assertThat(
            shown(
                "a.x then max by host, site", List.of(A, B), "a.x then max", List.of(Labels.of())))
        .containsExactly(A, B);
    var core = Labels.of("host", "a", "site", "north", "core", "1");
    assertThat(shown("a.x then max by host, site", List.of(A, B), "a.x", List.of(core)))
        .containsExactly(A);
    // What has no label in common may be of the same things or not.
    assertThat(
            shown(
                "a.x then max by host",
                List.of(Labels.of("host", "a")),
                "a.x then max by site",
                List.of(Labels.of("site", "north"))))
        .isEmpty();
  }

  @Test
  void aSumIsShownOnlyAsItself() {
    var byHost = "a.x then sum by host, site";
    assertThat(shown(byHost, List.of(A, B), byHost, List.of(A))).containsExactly(A);
    assertThat(
            shown(byHost, List.of(A, B), "a.x then sum by host", List.of(Labels.of("host", "a"))))
        .containsExactly(A);
    // The sum of both is none of them.
    assertThat(shown(byHost, List.of(A, B), "a.x then sum", List.of(Labels.of()))).isEmpty();
    assertThat(shown("a.x then sum", List.of(Labels.of()), byHost, List.of(A, B))).isEmpty();
  }

  @Test
  void conditionsHoldForWhatIsShown() {
    var rule = "a.x then max by host, site";
    assertThat(
            shown(
                rule,
                List.of(A, B),
                "a.x where site = 'north' then max by host",
                List.of(Labels.of("host", "a"), Labels.of("host", "b"))))
        .containsExactly(A);
    // The rule leaves out what the panel shows, and the other way round.
    assertThat(shown("a.x where site = 'south'", List.of(B), "a.x", List.of(A))).isEmpty();
    assertThat(shown("a.x where site = 'south'", List.of(B), "a.x", List.of(A, B)))
        .containsExactly(B);
    // What became of a condition on a label that is gone can't be told from a sum.
    assertThat(
            shown(
                "a.x where result = 'refused' then sum by host, site",
                List.of(A),
                "a.x then sum by host, site",
                List.of(A)))
        .isEmpty();
    assertThat(
            shown(
                "a.x where result = 'refused' then sum by host, site",
                List.of(A),
                "a.x where result = 'refused' and site = 'north' then sum by host, site",
                List.of(A)))
        .containsExactly(A);
    assertThat(
            shown(
                "a.x where kind = 'disk' then max by host", List.of(A), "a.x then max", List.of(A)))
        .isEmpty();
  }
}
