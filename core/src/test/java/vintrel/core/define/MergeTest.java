package vintrel.core.define;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Random;
import org.junit.jupiter.api.Test;

/** Two savers of one dashboard. */
class MergeTest {
  private static Map<String, Object> panel(String id, Object value) {
    return Map.of("id", id, "title", "Panel " + id, "query", value);
  }

  private static Map<String, Object> doc(String title, Object... panels) {
    return Map.of("title", title, "panels", List.of(panels));
  }

  @Test
  void eachSideKeepsWhatItAloneChanged() {
    var merged =
        Merge.of(
            doc("D", panel("a", 1), panel("b", 1)),
            doc("Mine", panel("a", 2), panel("b", 1), panel("c", 1)),
            doc("D", panel("a", 1), panel("b", 3), panel("d", 1)));
    assertThat(merged.document())
        .isEqualTo(doc("Mine", panel("a", 2), panel("b", 3), panel("c", 1), panel("d", 1)));
    assertThat(merged.both()).isEmpty();
    assertThat(merged.back()).isEmpty();
  }

  @Test
  void whereBothChangedMineStaysAndItIsSaid() {
    var merged =
        Merge.of(doc("D", panel("a", 1)), doc("E", panel("a", 2)), doc("F", panel("a", 3)));
    assertThat(merged.document()).isEqualTo(doc("E", panel("a", 2)));
    assertThat(merged.both()).containsExactlyInAnyOrder("title", "Panel a");
  }

  @Test
  void whatOneDeletedAndTheOtherChangedIsNotLost() {
    var basis = doc("D", panel("a", 1), panel("b", 1), panel("c", 1));
    var gone =
        Merge.of(
            basis, doc("D", panel("b", 1)), doc("D", panel("a", 2), panel("b", 1), panel("c", 1)));
    assertThat(gone.document()).isEqualTo(doc("D", panel("b", 1), panel("a", 2)));
    assertThat(gone.back()).containsExactly("Panel a");
    var mine =
        Merge.of(
            basis, doc("D", panel("a", 2), panel("b", 1), panel("c", 1)), doc("D", panel("b", 1)));
    assertThat(mine.document()).isEqualTo(doc("D", panel("a", 2), panel("b", 1)));
    assertThat(mine.both()).containsExactly("Panel a");
  }

  /** Nobody's change is lost but one that the other changed too. */
  @Test
  void randomEditsOfBothSidesAreAllThere() {
    var random = new Random(8);
    for (int n = 0; n < 3_000; n++) {
      var basis = panels(random, Map.of());
      var mine = panels(random, basis);
      var theirs = panels(random, basis);
      var merged = Merge.of(doc(basis), doc(mine), doc(theirs));
      var out = new HashMap<String, Object>();
      for (var p : (List<?>) merged.document().getOrDefault("panels", List.of())) {
        assertThat(out.put((String) ((Map<?, ?>) p).get("id"), p)).isNull();
      }
      for (int i = 0; i < 6; i++) {
        var id = "p" + i;
        var was = basis.get(id);
        var m = mine.get(id);
        var t = theirs.get(id);
        boolean deletedHere = m == null && was != null && t != null && !t.equals(was);
        var wanted = deletedHere ? t : Objects.equals(m, was) ? t : m;
        assertThat(out.get(id)).as("%s of %s, %s, %s", id, basis, mine, theirs).isEqualTo(wanted);
        boolean clash = m != null && !m.equals(was) && !Objects.equals(t, was) && !m.equals(t);
        assertThat(merged.both().contains("Panel " + id)).isEqualTo(clash);
        assertThat(merged.back().contains("Panel " + id)).isEqualTo(deletedHere);
      }
    }
  }

  private static Map<String, Object> panels(Random random, Map<String, Object> from) {
    var out = new LinkedHashMap<>(from);
    for (int i = 0; i < 6; i++) {
      switch (random.nextInt(4)) {
        case 0 -> out.put("p" + i, panel("p" + i, random.nextInt(3)));
        case 1 -> out.remove("p" + i);
        default -> {}
      }
    }
    return out;
  }

  private static Map<String, Object> doc(Map<String, Object> panels) {
    return Map.of("panels", new ArrayList<>(panels.values()));
  }
}
