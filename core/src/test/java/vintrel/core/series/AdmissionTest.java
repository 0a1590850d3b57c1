package vintrel.core.series;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tools.jackson.databind.json.JsonMapper;

class AdmissionTest {
  @Test
  void whatTheDatabaseCanKeepIsAdmittedAndOneCharacterMoreIsNot() {
    assertThat(Admission.fault("m".repeat(500), Labels.NONE, "u".repeat(100))).isNull();
    assertThat(Admission.fault("m".repeat(501), Labels.NONE, ""))
        .contains("501 characters; the limit is 500");
    assertThat(Admission.fault("m", Labels.NONE, "u".repeat(101))).contains("unit", "101");
    assertThat(Admission.fault(" ", Labels.NONE, "")).contains("without a name");
    assertThat(Admission.fault("m", Labels.of("a", "x".repeat(15_990)), "")).isNull();
    assertThat(Admission.fault("m", Labels.of("a", "x".repeat(16_000)), "")).contains("16,000");
  }

  @Test
  void halfCharactersAndNulAreRefusedWholeOnesAreNot() {
    assertThat(Admission.fault("ferry⛴\uD83D\uDEA2", Labels.of("é", "\u0001"), "")).isNull();
    for (var bad : new String[] {"a\0b", "\uD83D", "\uDEA2\uD83D", "x\uD83Dy"}) {
      assertThat(Admission.fault("m" + bad, Labels.NONE, "")).isNotNull();
      assertThat(Admission.fault("m", Labels.of("a", bad), "")).isNotNull();
      assertThat(Admission.fault("m", Labels.of(bad, "a"), "")).isNotNull();
      assertThat(Admission.text(Admission.whole(bad))).isTrue();
    }
    assertThat(Admission.whole("a\0\uD83D\uDEA2\uD83D")).isEqualTo("a�\uD83D\uDEA2�");
  }

  /** Whatever is admitted fits the column as JSON, however much of it must be escaped. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void labelsThatAreAdmittedFitAsJson(long seed) {
    var random = new Random(seed);
    for (int i = 0; i < 300; i++) {
      Map<String, String> map = new TreeMap<>();
      int size = random.nextInt(9000);
      while (map.toString().length() < size) {
        map.put(text(random, 20), text(random, 900));
      }
      var labels = Labels.of(map);
      if (Admission.fault("m", labels, "") == null) {
        assertThat(JsonMapper.shared().writeValueAsString(labels.asMap()).length())
            .isLessThanOrEqualTo(Admission.MAX_LABELS);
      }
    }
  }

  private static String text(Random random, int max) {
    var out = new StringBuilder();
    for (int n = 1 + random.nextInt(max); n > 0; n--) {
      out.append(
          (char) (random.nextInt(4) == 0 ? 1 + random.nextInt(34) : random.nextInt(40, 900)));
    }
    return out.toString();
  }

  @Test
  void patternsThatMultiplyAreRefusedBeforeTheyAreCompiled() {
    for (var bad :
        new String[] {
          "((a{1000}){1000})", "(((a{99}){99}){99}){99}", "[a-z]{900}\\pL{900}", "x".repeat(1001)
        }) {
      assertThatThrownBy(() -> Patterns.of(bad)).isInstanceOf(PatternSyntaxException.class);
    }
    assertThat(Patterns.of("^nq-(app|db)-\\d{1,3}$").matcher("nq-app-12").find()).isTrue();
    assertThat(Patterns.of("(?i)\\Qdeck.load\\E").matcher("Deck.Load").find()).isTrue();
  }

  /** The estimate is never far below what the compiler makes. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3})
  void theEstimateBoundsTheProgram(long seed) {
    var random = new Random(seed);
    var parts =
        new String[] {
          "a", "b", "(", ")", "{3}", "{2,9}", "{4,}", "*", "?", "|", "[a-z]", "\\d", "."
        };
    for (int i = 0; i < 4000; i++) {
      var text = new StringBuilder();
      for (int n = random.nextInt(1, 12); n > 0; n--) {
        text.append(parts[random.nextInt(parts.length)]);
      }
      try {
        var compiled = Pattern.compile(text.toString());
        long size = Patterns.size(text.toString());
        assertThat((long) compiled.programSize()).as("%s", text).isLessThanOrEqualTo(4 * size + 20);
      } catch (PatternSyntaxException e) {
        // Not a pattern: nothing is compiled.
      }
    }
  }
}
