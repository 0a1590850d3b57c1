package vintrel.core.define;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import vintrel.core.panel.TimeChart;

/** Panels that are repeated, and what makes room for them. */
class RepeatsTest {
  private static Dashboard.Panel panel(
      String title, int column, int row, int width, int height, String repeat, boolean down) {
    return new Dashboard.Panel(
        title,
        title,
        "",
        "",
        TimeChart.DEFAULT,
        new Dashboard.Place(column, row, width, height),
        "cpu",
        "",
        "",
        List.of(),
        repeat,
        down,
        Map.of());
  }

  private static Dashboard dashboard(
      List<Dashboard.Section> sections, List<Dashboard.Panel> panels) {
    return new Dashboard("d", "D", "", "", "", "", "", List.of(), sections, panels);
  }

  private static List<String> places(
      List<Dashboard.Panel> panels, Map<String, List<String>> values) {
    return Repeats.of(dashboard(List.of(), panels), values).panels().stream()
        .map(
            s ->
                s.panel().title()
                    + " "
                    + s.panel().place().column()
                    + ","
                    + s.panel().place().row())
        .toList();
  }

  @Test
  void copiesGoAcrossAndThenBelowAndWhatLiesBelowMakesRoom() {
    var values = Map.of("site", List.of("north", "mid", "south", "west"));
    assertThat(
            places(
                List.of(panel("a", 1, 1, 4, 5, "site", false), panel("b", 1, 6, 12, 3, "", false)),
                values))
        .containsExactly("a · north 1,1", "a · mid 5,1", "a · south 9,1", "a · west 1,6", "b 1,11");
    assertThat(
            places(
                List.of(
                    panel("{site} now", 1, 1, 4, 5, "site", true),
                    panel("beside", 5, 1, 8, 5, "", false),
                    panel("b", 1, 6, 12, 3, "", false)),
                Map.of("site", List.of("x", "y"))))
        .containsExactly("x now 1,1", "y now 1,6", "beside 5,1", "b 1,11");
  }

  @Test
  void aPanelWithoutValuesStaysOneAndNoMoreThanTwelveAreShown() {
    var one = List.of(panel("a", 1, 1, 6, 5, "site", false));
    assertThat(places(one, Map.of())).containsExactly("a 1,1");
    var many = IntStream.range(0, 30).mapToObj(i -> "v" + i).toList();
    var shown = Repeats.of(dashboard(List.of(), one), Map.of("site", many)).panels();
    assertThat(shown).hasSize(Repeats.MAX);
    assertThat(shown.getLast().left()).isEqualTo(18);
    assertThat(shown.getFirst().left()).isZero();
  }

  /** Whatever is repeated, nothing overlaps that did not before, and all stays in the columns. */
  @Test
  void nothingOverlaps() {
    var random = new Random(5);
    for (int n = 0; n < 2_000; n++) {
      var panels = new ArrayList<Dashboard.Panel>();
      int row = 1;
      for (int band = 0; band < 1 + random.nextInt(4); band++) {
        int height = 2 + random.nextInt(4);
        int column = 1;
        while (column <= 12) {
          int width = Math.min(13 - column, 1 + random.nextInt(8));
          if (random.nextInt(4) > 0) {
            var repeat = random.nextInt(3) == 0 ? "site" : "";
            panels.add(
                panel(
                    "p" + panels.size(), column, row, width, height, repeat, random.nextBoolean()));
          }
          column += width;
        }
        row += height;
      }
      var values = IntStream.range(0, random.nextInt(9)).mapToObj(i -> "v" + i).toList();
      var shown = Repeats.of(dashboard(List.of(), panels), Map.of("site", values)).panels();
      for (int i = 0; i < shown.size(); i++) {
        var a = shown.get(i).panel().place();
        assertThat(a.column() + a.width()).isLessThanOrEqualTo(13);
        for (int k = 0; k < i; k++) {
          assertThat(overlap(a, shown.get(k).panel().place()))
              .as("%s and %s of %s", shown.get(i), shown.get(k), panels)
              .isFalse();
        }
      }
      // What was below stays below.
      for (var p : panels) {
        for (var q : panels) {
          if (q.place().row() >= p.place().row() + p.place().height()) {
            assertThat(first(shown, q))
                .isGreaterThanOrEqualTo(first(shown, p) + p.place().height());
          }
        }
      }
    }
  }

  private static int first(List<Repeats.Shown> shown, Dashboard.Panel p) {
    return shown.stream()
        .filter(s -> s.panel().id().equals(p.id()))
        .mapToInt(s -> s.panel().place().row())
        .min()
        .orElseThrow();
  }

  private static boolean overlap(Dashboard.Place a, Dashboard.Place b) {
    return a.column() < b.column() + b.width()
        && b.column() < a.column() + a.width()
        && a.row() < b.row() + b.height()
        && b.row() < a.row() + a.height();
  }

  @Test
  void aControlKnowsWhatItDependsOn() {
    var c =
        new Control(
            "host",
            "Host",
            Control.Kind.LABEL,
            "host",
            "cpu",
            "site = $site_name and x = $b",
            "",
            List.of(),
            true,
            List.of());
    assertThat(c.dependsOn("site_name")).isTrue();
    assertThat(c.dependsOn("site")).isFalse();
    assertThat(c.dependsOn("b")).isTrue();
    assertThat(c.dependsOn("host")).isFalse();
  }

  private static String shown(Repeats.Layout layout) {
    var out = new ArrayList<String>();
    layout
        .headings()
        .forEach(h -> out.add("%d: %s, %d rows".formatted(h.row(), h.title(), h.rows())));
    layout
        .panels()
        .forEach(
            p ->
                out.add(
                    "%d: %s %s in %d"
                        .formatted(
                            p.panel().place().row(), p.panel().title(), p.copy(), p.section())));
    return String.join("\n", out);
  }

  @Test
  void aSectionIsShownForEachValueWithItsPanels() {
    var dashboard =
        dashboard(
            List.of(
                new Dashboard.Section("Now", 3, false, ""),
                new Dashboard.Section("Ship {ship}", 8, true, "ship"),
                new Dashboard.Section("After", 14, false, "")),
            List.of(
                panel("top", 1, 1, 12, 2, "", false),
                panel("a", 1, 4, 12, 4, "", false),
                panel("deck", 1, 9, 6, 3, "", false),
                panel("each", 7, 9, 6, 5, "site", true),
                panel("last", 1, 15, 12, 2, "", false)));
    var layout =
        Repeats.of(dashboard, Map.of("ship", List.of("Tern", "Plover"), "site", List.of("x", "y")));
    assertThat(shown(layout))
        .isEqualTo(
            """
            3: Now, 4 rows
            8: Ship Tern, 10 rows
            19: Ship Plover, 10 rows
            30: After, 2 rows
            1: top  in -1
            4: a  in 0
            9: deck ship=Tern in 1
            9: each · x ship=Tern
            site=x in 1
            14: each · y ship=Tern
            site=y in 1
            20: deck ship=Plover in 2
            20: each · x ship=Plover
            site=x in 2
            25: each · y ship=Plover
            site=y in 2
            31: last  in 3\
            """);
  }

  @Test
  void titlesSayWhatIsChosenAndCopiesWhatTheyAre() {
    var dashboard =
        dashboard(
            List.of(new Dashboard.Section("Decks, {site}", 6, false, "")),
            List.of(
                panel("{site} and {other}", 1, 1, 4, 5, "", false),
                panel("of {ship}", 1, 7, 4, 5, "ship", false)));
    var shown =
        Repeats.of(
            dashboard,
            Map.of("ship", List.of("Tern", "{site}")),
            Map.of("site", "mid-isles", "ship", "all"));
    assertThat(shown.headings().getFirst().title()).isEqualTo("Decks, mid-isles");
    assertThat(shown.panels().stream().map(p -> p.panel().title()))
        .containsExactly("mid-isles and {other}", "of Tern", "of mid-isles");
    assertThat(shown.panels().get(1).values()).isEqualTo(Map.of("ship", "Tern"));
  }

  /** Headings and panels never meet, and folding takes away just what lies under a heading. */
  @Test
  void sectionsKeepApart() {
    var random = new Random(6);
    for (int n = 0; n < 1_000; n++) {
      var panels = new ArrayList<Dashboard.Panel>();
      var sections = new ArrayList<Dashboard.Section>();
      int row = 1;
      for (int band = 0; band < 5; band++) {
        if (random.nextBoolean()) {
          var by = random.nextBoolean() ? "ship" : "";
          sections.add(new Dashboard.Section("s" + band, row++, false, by));
        }
        int height = 1 + random.nextInt(4);
        var by = random.nextInt(3) == 0 ? "ship" : "";
        panels.add(panel("p" + band, 1, row, 6, height, by, random.nextBoolean()));
        panels.add(panel("q" + band, 7, row, 6, 1 + random.nextInt(height), "", false));
        row += height;
      }
      var values = IntStream.range(0, random.nextInt(5)).mapToObj(i -> "v" + i).toList();
      var layout = Repeats.of(dashboard(sections, panels), Map.of("ship", values));
      for (int i = 0; i < layout.headings().size(); i++) {
        var h = layout.headings().get(i);
        int end = h.row() + 1 + h.rows();
        if (i + 1 < layout.headings().size()) {
          assertThat(layout.headings().get(i + 1).row()).isEqualTo(end);
        }
        for (var p : layout.panels()) {
          var at = p.panel().place();
          boolean inside = at.row() > h.row() && at.end() <= end;
          boolean outside = at.end() <= h.row() || at.row() >= end;
          assertThat(p.section() == i ? inside : outside).as("%s %s", h, p).isTrue();
        }
      }
    }
  }

  @Test
  void aPageOfManyRepeatedSectionsHasABoundOfItsOwn() {
    var sections = new ArrayList<Dashboard.Section>();
    var panels = new ArrayList<Dashboard.Panel>();
    for (int i = 0; i < 100; i++) {
      sections.add(new Dashboard.Section("S" + i, 1 + 10 * i, false, "host"));
      panels.add(panel("p" + i, 1, 2 + 10 * i, 6, 4, "site", true));
      panels.add(panel("q" + i, 7, 2 + 10 * i, 6, 4, "", false));
    }
    var many = IntStream.range(0, 10_000).mapToObj(i -> "v" + i).toList();
    var layout = Repeats.of(dashboard(sections, panels), Map.of("host", many, "site", many));
    // Everything is there at least once, and what more there would be is said.
    assertThat(layout.headings()).extracting(h -> h.section().title()).contains("S0", "S99");
    assertThat(layout.panels()).extracting(s -> s.panel().id()).contains("p99", "q99");
    assertThat(layout.panels().size() + layout.headings().size())
        .isLessThan(Repeats.MAX_SHOWN + 3 * 100 + 2 * Repeats.MAX);
    assertThat(layout.headings().getLast().left()).isEqualTo(9_999);
  }
}
