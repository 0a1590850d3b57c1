package vintrel.core.unit;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.time.Instant;
import java.time.ZoneId;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class UnitTest {
  private static final ZoneId LONDON = ZoneId.of("Europe/London");
  private static final Instant NOW = Instant.parse("2026-06-10T12:00:00Z");

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "92.51 | % | 92.5 %",
        "1853528746 | By | 1.85 GB",
        "950 | By | 950 B",
        "1234.5 | By/s | 1.23 kB/s",
        "0.165 | s | 165 ms",
        "7.66 | s | 7.66 s",
        "5400 | s | 90 min",
        "88.24 | Cel | 88.2 °C",
        "16.6 | {scan}/min | 16.6 scan/min",
        "0 | By | 0 B",
        "NaN | By | –",
        "-3.2 | Cel | −3.20 °C"
      })
  void readingsAreShortAndCarryTheirUnit(double value, String unit, String text) {
    assertThat(Units.format(value, unit)).isEqualTo(text);
  }

  @ParameterizedTest
  @CsvSource({
    "milliseconds, ms",
    "s, s",
    "bytes, By",
    "Bytes, By",
    "By, By",
    "B, By",
    "1, 1",
    "'', ''",
    "{request}, {request}",
    "requests, {requests}",
    "bytes/second, By/s",
    "By/s, By/s",
    "{scan}/min, {scan}/min",
    "celsius, Cel",
    "KiBy, KiBy",
    "m, m",
    "percent, %"
  })
  void unitsOfSendersBecomeCodes(String sent, String code) {
    assertThat(Units.canonical(sent)).isEqualTo(code);
  }

  @Test
  void unitsAreCarriedThroughRatesAndRatios() {
    assertThat(Units.per("By", 1000)).isEqualTo("By/s");
    assertThat(Units.per("", 60_000)).isEqualTo("1/min");
    assertThat(Units.over("By", "By")).isEqualTo("1");
    assertThat(Units.over("By", "s")).isEqualTo("By/s");
    assertThat(Units.over("By/s", "By/min")).isEqualTo("min/s");
    assertThat(Units.over("{scan}/s", "{gate}/min")).isEqualTo("{scan}.min/s/{gate}");
    assertThat(Units.over("1", "{scan}/s")).isEqualTo("s/{scan}");
    assertThat(Units.over("", "s")).isEqualTo("1/s");
    assertThat(Units.over("W", "(m.K)")).isEqualTo("W/(m.K)");
    assertThat(Units.times("By/s", "s")).isEqualTo("By");
    assertThat(Units.times("{a/b}", "m")).isEqualTo("{a/b}.m");
    assertThat(Units.alike("By", "s")).isFalse();
  }

  @ParameterizedTest
  @CsvSource({"15s, 15000", "1h30m, 5400000", "2w, 1209600000", "250ms, 250"})
  void durationsAreRead(String text, long millis) {
    assertThat(Durations.parse(text)).hasValue(millis);
    assertThat(Durations.parse(Durations.text(millis))).hasValue(millis);
  }

  @ParameterizedTest
  @CsvSource({"''", "5", "5x", "m", "-5m", "1.5h", "99999999999h"})
  void whatIsNoDurationIsNotRead(String text) {
    assertThat(Durations.parse(text)).isEmpty();
  }

  @ParameterizedTest
  @CsvSource({
    "now, 2026-06-10T12:00:00Z",
    "-6h, 2026-06-10T06:00:00Z",
    "9:30, 2026-06-10T08:30:00Z",
    "yesterday 14:00, 2026-06-09T13:00:00Z",
    "2026-03-01T14:00, 2026-03-01T14:00:00Z",
    "2026-07-01 14:00, 2026-07-01T13:00:00Z",
    "2026-03-01T14:00:00+02:00, 2026-03-01T12:00:00Z",
    "1795421890000, 2026-11-23T08:18:10Z"
  })
  void timesAreReadInThePersonsZone(String text, Instant at) {
    assertThat(TimeText.parse(text, NOW, LONDON)).isEqualTo(at.toEpochMilli());
  }

  @Test
  void aTimeThatIsNoneSaysWhatToType() {
    assertThatThrownBy(() -> TimeText.parse("teatime", NOW, LONDON))
        .hasMessageContaining("try -6h, yesterday 14:00");
    assertThatThrownBy(() -> TimeText.range("now", "-1h", NOW, LONDON))
        .hasMessageContaining("swap");
  }

  @Test
  void moneyHasTheDigitsOfItsCurrency() {
    assertThat(Units.format(12.5, "EUR")).isEqualTo("12.50 EUR");
    assertThat(Units.format(12.5, "{GBP}")).isEqualTo("12.50 GBP");
    assertThat(Units.format(1250, "JPY")).isEqualTo("1250 JPY");
    assertThat(Units.format(3.456, "EUR/h")).isEqualTo("3.46 EUR/h");
    assertThat(Units.format(45_300, "EUR")).isEqualTo("45.3 k EUR");
    assertThat(Units.format(12.5, "{booking}")).isEqualTo("12.5 booking");
  }

  /** The short way of writing numbers against the exact one, with ties and near ties. */
  @Test
  void numbersAreRoundedHalfUpFromTheirShortestDigits() {
    var random = new Random(8);
    for (int i = 0; i < 200_000; i++) {
      int decimals = random.nextInt(11);
      double divisor = new double[] {1, 1000, 60, 1e-3, 86_400}[random.nextInt(5)];
      double v =
          switch (random.nextInt(4)) {
            case 0 -> random.nextInt(20_001) / 8.0 - 1250;
            case 1 -> (random.nextInt(2_001) - 1000) / 1000.0 * divisor;
            case 2 -> random.nextGaussian() * Math.pow(10, random.nextInt(30) - 15);
            default -> Math.nextUp((random.nextInt(400) - 200) / 16.0 * divisor);
          };
      var exact =
          new BigDecimal(Double.toString(v / divisor)).setScale(decimals, RoundingMode.HALF_UP);
      var text = exact.signum() == 0 ? exact.abs().toPlainString() : exact.toPlainString();
      var out = new StringBuilder();
      new Units.Scale(divisor, decimals, " By").number(v, out);
      assertThat(out.toString())
          .as("%s / %s, %d", v, divisor, decimals)
          .isEqualTo(text.replace('-', '−'));
    }
    var out = new StringBuilder();
    new Units.Scale(1, 2, " By").number(Double.NEGATIVE_INFINITY, out);
    assertThat(out.toString()).isEqualTo("−∞");
    assertThat(new Units.Scale(1, 2, " By").format(-0.001)).isEqualTo("0.00 By");
  }

  /** No value has more digits for being rounded up to the next power of ten. */
  @Test
  void threeDigitsAreThreeWhereRoundingCarries() {
    assertThat(Units.format(9.996, "{scan}/min")).isEqualTo("10.0 scan/min");
    assertThat(Units.format(99.96, "%")).isEqualTo("100 %");
    assertThat(Units.format(0.9996, "1")).isEqualTo("1.00");
    assertThat(Units.format(0.999_96, "s")).isEqualTo("1.00 s");
    assertThat(Units.format(0.1 * 3 * 10, "{scan}")).isEqualTo("3 scan");
    assertThat(Units.format(8 / 60.0 * 60 + 1e-12, "{scan}")).isEqualTo("8 scan");
    assertThat(Units.format(8.001, "{scan}")).isEqualTo("8.00 scan");
    var random = new Random(5);
    for (int i = 0; i < 20_000; i++) {
      double v = Math.pow(10, random.nextDouble() * 3 - 1) + random.nextInt(2) * 1e-7;
      var digits = Units.format(v, "{scan}").replaceAll("[^0-9]", "").replaceFirst("^0+", "");
      assertThat(digits).as("%s", v).hasSizeLessThanOrEqualTo(3);
    }
  }

  @Test
  void aRangeHasOneUnit() {
    assertThat(Units.range(888, 1660, "By")).isEqualTo("0.888 to 1.66 kB");
    assertThat(Units.range(3, 17, "")).isEqualTo("3 to 17");
    assertThat(Units.range(0, 87.25, "%")).isEqualTo("0.0 to 87.3 %");
    assertThat(Units.range(999.5, 1000.5, "ms")).isEqualTo("0.9995 to 1.0005 s");
    assertThat(Units.range(5, 5, "Cel")).isEqualTo("5 to 5 °C");
  }

  @Test
  void numbersOfAnAxisKeepApartWhatItsTicksDo() {
    assertThat(Units.format(999.5, 0.2, "ms")).isEqualTo("0.9995 s");
    assertThat(Units.format(10_004, 2, "By")).isEqualTo("10.004 kB");
    assertThat(Units.format(12.345, 20, "%")).isEqualTo("12.3 %");
    assertThat(Units.format(0.0157, 20_000, "By")).isEqualTo("0.0157 B");
  }
}
