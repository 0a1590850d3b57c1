package vintrel.core.collect;

import static org.assertj.core.api.Assertions.assertThat;

import com.google.re2j.Pattern;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import vintrel.core.unit.Durations;

class VerdictTest {
  private static final long NOW = 1_800_000_000_000L;

  private static Verdict verdict(Check.Probe probe, long maxDuration, Finding found) {
    return Verdict.of(
        new Check("c", "C", probe, 30_000, 10_000, maxDuration, Map.of(), Check.HERE, false),
        found,
        NOW);
  }

  private static Check.Http http(String contains, Pattern matches, int days, String... status) {
    return new Check.Http(
        "https://a/", "get", Map.of(), List.of(status), contains, matches, 5, days);
  }

  @ParameterizedTest
  @CsvSource({
    "200, 2xx, true",
    "204, 2xx, true",
    "299, 2xx, true",
    "300, 2xx, false",
    "199, 2xx, false",
    "404, 404, true",
    "404, 4xx, true",
    "403, 404, false",
    "20, 2xx, false"
  })
  void statusPassesByClassOrCode(int code, String status, boolean passes) {
    var found = new Finding();
    found.response(code, "");
    var verdict = verdict(http("", null, 0, status), 0, found);
    assertThat(verdict.passed()).isEqualTo(passes);
    assertThat(verdict.found()).startsWith("HTTP " + code);
  }

  @Test
  void everyExpectationThatIsNotMetIsNamed() {
    var found = new Finding();
    found.response(200, "text/html");
    found.body("Sailings of today", 17);
    found.phase("connect", 900);
    found.phase("first byte", 400.4);
    found.certificate(NOW + 11 * Durations.DAY + 5_000);
    var good = verdict(http("Sailings", Pattern.compile("of t.day"), 10, "2xx"), 2_000, found);
    assertThat(good.passed()).isTrue();
    assertThat(good.found())
        .isEqualTo("HTTP 200, contains “Sailings”, matches “of t.day”, 11 days left");
    var bad = verdict(http("Fares", Pattern.compile("^of"), 21, "3xx"), 1_000, found);
    assertThat(bad.passed()).isFalse();
    assertThat(bad.found())
        .isEqualTo(
            "HTTP 200; expected 3xx; does not contain “Fares”; does not match “^of”; certificate:"
                + " 11 days left; the minimum is 21; took 1.3 s; the maximum is 1 s");
    // Only what takes longer than the maximum fails.
    found = new Finding();
    found.response(200, "");
    found.phase("rest", 1_000);
    assertThat(verdict(http("", null, 0, "2xx"), 1_000, found).passed()).isTrue();
  }

  @Test
  void daysAreCountedDownToTheEnd() {
    var found = new Finding();
    found.certificate(NOW + Durations.DAY - 1);
    assertThat(verdict(new Check.Tls("a", 443, 0), 0, found).found()).isEqualTo("0 days left");
    assertThat(verdict(new Check.Tls("a", 443, 1), 0, found).passed()).isFalse();
    found.certificate(NOW - 1);
    assertThat(verdict(new Check.Tls("a", 443, 0), 0, found).passed()).isFalse();
    found.certificate(NOW + 21 * Durations.DAY);
    assertThat(verdict(new Check.Tls("a", 443, 21), 0, found).passed()).isTrue();
  }

  @Test
  void answersAndRowsAreCompared() {
    var found = new Finding();
    found.answers(List.of("10.0.0.1", "gate.example."));
    assertThat(verdict(new Check.Dns("a", "A", ""), 0, found).passed()).isTrue();
    assertThat(verdict(new Check.Dns("a", "CNAME", "GATE.example"), 0, found).passed()).isTrue();
    assertThat(verdict(new Check.Dns("a", "A", "10.0.0.2"), 0, found).found())
        .isEqualTo("10.0.0.1, gate.example.; expected 10.0.0.2");
    assertThat(verdict(new Check.Dns("a", "MX", ""), 0, new Finding()).found())
        .isEqualTo("no MX record");
    found = new Finding();
    found.rows(1_204, 1);
    assertThat(verdict(new Check.Sql("s", "q", 0.0, null), 0, found).found()).isEqualTo("1,204");
    assertThat(verdict(new Check.Sql("s", "q", null, 1_204.0), 0, found).passed()).isTrue();
    assertThat(verdict(new Check.Sql("s", "q", 1_204.5, null), 0, found).passed()).isFalse();
    assertThat(verdict(new Check.Sql("s", "q", null, 1_203.0), 0, found).found())
        .isEqualTo("1,204; the maximum is 1,203");
    found.rows(Double.NaN, 0);
    assertThat(verdict(new Check.Sql("s", "q", null, null), 0, found).passed()).isTrue();
    assertThat(verdict(new Check.Sql("s", "q", 0.0, null), 0, found).found()).isEqualTo("no rows");
    found.rows(Double.NaN, 3);
    assertThat(verdict(new Check.Sql("s", "q", 0.0, null), 0, found).passed()).isFalse();
  }

  @Test
  void aFaultFailsWhateverElseIsThere() {
    var found = new Finding();
    found.response(200, "");
    found.failed("rest", "no response within 1 s");
    var verdict = verdict(http("", null, 0, "2xx"), 0, found);
    assertThat(verdict.passed()).isFalse();
    assertThat(verdict.found()).isEqualTo("no response within 1 s");
  }
}
