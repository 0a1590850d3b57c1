package vintrel.core.index;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;

class LabelIndexTest {
  private static final String[] VALUES = {"", "north-1", "north-2", "south-1", "a%b", "x"};

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6})
  void theIndexFindsWhatTestingEverySeriesFinds(long seed) {
    var random = new Random(seed);
    var index = new LabelIndex();
    var all = new ArrayList<Series>();
    for (int i = 0; i < 400; i++) {
      var labels =
          Labels.of(
              "gate", VALUES[random.nextInt(6)], "site", VALUES[random.nextInt(6)], "id", "" + i);
      var s =
          new Series(
              i, new SeriesKey(random.nextBoolean() ? "a" : "b", labels), MetricKind.GAUGE, "");
      index.add(s);
      all.add(s);
    }
    for (var text :
        List.of(
            "gate = 'north-1'",
            "gate != 'north-1'",
            "gate like 'north-%' and site exists",
            "not (gate in ('x', 'north-2') or site = 'south-1')",
            "gate not like '%-1' or site matches '^so'",
            "gate not matches '1$' and not site exists",
            "gate matches '2$' and site = 'north'",
            "gate not matches '2$' and site = 'north-quay' and gate like 'n%'",
            "nothing = 'x'",
            "nothing != 'x'")) {
      var condition = Parser.parseCondition(text);
      assertThat(index.select("", "a", condition))
          .as(text)
          .isEqualTo(
              all.stream()
                  .filter(s -> s.metric().equals("a") && condition.test(s.labels()))
                  .toList());
    }
  }

  @ParameterizedTest
  @CsvSource({
    "north-%, north-1, true", "north-%, south-1, false", "%, '', true", "_, ab, false",
    "a\\%b, a%b, true", "a\\%b, axb, false", "%a%b%, xxaxxbxx, true", "%ab, aab, true"
  })
  void likeIsAsInSql(String pattern, String text, boolean matches) {
    var test = Condition.Test.of("l", Condition.Operator.LIKE, pattern);
    assertThat(test.accepts(text)).isEqualTo(matches);
  }

  @Test
  void theCatalogueCountsSeriesAndValues() {
    var index = new LabelIndex();
    index.add(new Series(0, new SeriesKey("m", Labels.of("h", "b")), MetricKind.COUNTER, "By"));
    index.add(new Series(1, new SeriesKey("m", Labels.of("h", "a")), MetricKind.COUNTER, "By"));
    index.add(new Series(2, new SeriesKey("n", Labels.of("h", "c")), MetricKind.GAUGE, ""));
    assertThat(index.metrics(""))
        .containsExactly(
            new MetricEntry("m", MetricKind.COUNTER, "By", 2, List.of("h")),
            new MetricEntry("n", MetricKind.GAUGE, "", 1, List.of("h")));
    assertThat(index.labelValues("h", "", "m", Condition.ALL)).containsExactly("a", "b");
    assertThat(index.labelValues("h", "", null, Condition.ALL)).containsExactly("a", "b", "c");
  }

  @Test
  void ofVeryManyValuesThoseOfTheNewestSeriesAreProposed() {
    var index = new LabelIndex();
    for (int i = 0; i < 1_000; i++) {
      var labels = Labels.of("ticket", "t" + i, "site", "s" + i % 3);
      var key = new SeriesKey(i % 2 == 0 ? "m" : "n", labels);
      index.add(new Series(i, key, MetricKind.GAUGE, ""));
    }
    assertThat(index.someLabelValues("ticket", "m", 1_000))
        .containsExactlyInAnyOrderElementsOf(index.labelValues("ticket", "", "m", Condition.ALL));
    assertThat(index.someLabelValues("ticket", "m", 3))
        .containsExactlyInAnyOrder("t998", "t996", "t994");
    assertThat(index.someLabelValues("ticket", null, 3)).hasSize(3);
    assertThat(index.someLabelValues("site", "m", 3)).containsExactlyInAnyOrder("s0", "s1", "s2");
    assertThat(index.someLabelValues("nothing", "m", 3)).isEmpty();
  }

  @Test
  void storesAreKeptApartAndTheEmptyNameStandsForAll() {
    var index = new LabelIndex();
    var h = Labels.of("h", "a");
    index.add(new Series(0, new SeriesKey("m", h), MetricKind.GAUGE, ""));
    index.add(new Series(1, new SeriesKey("m", h).in("lab"), MetricKind.GAUGE, ""));
    index.add(new Series(2, new SeriesKey("n", h).in("lab"), MetricKind.GAUGE, ""));
    assertThat(index.stores()).containsExactly("lab", "main");
    assertThat(index.select("", "m", Condition.ALL)).extracting(Series::id).containsExactly(0, 1);
    assertThat(index.select("lab", "m", Condition.ALL)).extracting(Series::id).containsExactly(1);
    assertThat(index.select("main", null, Condition.ALL)).extracting(Series::id).containsExactly(0);
    assertThat(index.metricNames("main")).containsExactly("m");
    assertThat(index.hasMetric("main", "n")).isFalse();
    assertThat(index.metrics("lab")).extracting(MetricEntry::series).containsExactly(1, 1);
    assertThat(index.size("lab")).isEqualTo(2);
  }
}
