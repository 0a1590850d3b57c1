package vintrel.core.define;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import com.networknt.schema.InputFormat;
import com.networknt.schema.SchemaRegistry;
import com.networknt.schema.SpecificationVersion;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeSet;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.panel.BigNumber;
import vintrel.core.panel.TablePanel;
import vintrel.core.panel.TimeChart;

/** Record ↔ document ↔ JSON Schema, for every kind. */
class KindsTest {
  private static final JsonMapper JSON = JsonMapper.shared();
  private static final com.networknt.schema.Schema SCHEMA =
      SchemaRegistry.withDefaultDialect(SpecificationVersion.DRAFT_2020_12)
          .getSchema(JSON.writeValueAsString(Schema.definitions()), InputFormat.JSON);

  private static List<String> schemaFaults(Object document) {
    return SCHEMA.validate(JSON.writeValueAsString(document), InputFormat.JSON).stream()
        .map(Object::toString)
        .toList();
  }

  private static List<String> faults(Map<?, ?> document) {
    var faults = new ArrayList<String>();
    Kinds.read(document, 1, faults);
    return faults;
  }

  @Test
  void everyExampleIsValidUsesEveryFieldOfItsKindAndComesBackFromItsRecord() {
    for (var kind : Kinds.ALL) {
      var example = kind.example();
      assertThat(schemaFaults(example)).as(kind.name()).isEmpty();
      var faults = new ArrayList<String>();
      var read = Kinds.read(example, 1, faults);
      assertThat(faults).isEmpty();
      var written = Kinds.write(read.definition());
      assertThat(schemaFaults(written)).as(kind.name()).isEmpty();
      assertThat(Kinds.read(written, 1, faults).definition()).isEqualTo(read.definition());
      assertThat(Kinds.write(Kinds.read(written, 1, faults).definition())).isEqualTo(written);
      var text = Documents.text(read.content());
      assertThat(Documents.map(text)).as(text).isEqualTo(read.content());
    }
  }

  /** {@code -Dvintrel.write=true} writes it anew. */
  @Test
  void theDocumentedSchemaIsTheOneThatIsServed() throws IOException {
    var file = Path.of("../docs/definitions.schema.json");
    var text =
        JSON.writerWithDefaultPrettyPrinter().writeValueAsString(Schema.definitions()) + "\n";
    if (Boolean.getBoolean("vintrel.write")) {
      Files.writeString(file, text);
    }
    assertThat(JSON.readTree(Files.readString(file))).isEqualTo(JSON.readTree(text));
  }

  /** A value that may or may not fit, for any place of a document. */
  private static Object odd(Random random) {
    return switch (random.nextInt(12)) {
      case 0 -> random.nextInt(2000) - 1000;
      case 1 -> random.nextDouble() * 100;
      case 2 -> "30s";
      case 3 -> "high";
      case 4 -> "a text with\nlines";
      case 5 -> "x".repeat(random.nextInt(2500));
      case 6 -> random.nextBoolean();
      case 7 -> List.of();
      case 8 -> List.of(1, 2, 3, 4);
      case 9 -> Map.of();
      case 10 -> Map.of("a", "b");
      default -> 0;
    };
  }

  /** A copy with one thing changed somewhere; the path of it is added. */
  private static Object mutated(Object node, Random random) {
    if (node instanceof Map<?, ?> map && !map.isEmpty() && random.nextInt(8) > 0) {
      var out = new LinkedHashMap<Object, Object>(map);
      var keys = List.copyOf(out.keySet());
      var key = keys.get(random.nextInt(keys.size()));
      switch (random.nextInt(6)) {
        case 0 -> out.remove(key);
        case 1 -> out.put(key + "x", odd(random));
        default -> out.put(key, mutated(out.get(key), random));
      }
      return out;
    }
    if (node instanceof List<?> list && !list.isEmpty() && random.nextInt(8) > 0) {
      var out = new ArrayList<Object>(list);
      int i = random.nextInt(out.size());
      switch (random.nextInt(6)) {
        case 0 -> out.remove(i);
        case 1 -> out.add(odd(random));
        default -> out.set(i, mutated(out.get(i), random));
      }
      return out;
    }
    return odd(random);
  }

  /**
   * What the schema accepts has only faults that no schema can express, and what the server accepts
   * is, in its canonical form, valid by the schema.
   */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6})
  void schemaAndCheckAgreeOnMutatedDocuments(long seed) {
    var random = new Random(seed);
    var meaning =
        "(?s).*(line \\d+, column|column \\d+:|two panels|unlike|own|the default|can't be"
            + " closed|close-after|can't be kept|is not an http|template|must fit in|priority of"
            + " its|not a valid step|not a valid pattern|does not belong to|for the input|the same"
            + " name|must be at least [0-9]+(ms|s|m)($|, or 0)|must be at most 31d|recurrence"
            + " rule|FREQ|of a calendar|not an address such as|http or https address).*";
    int valid = 0;
    for (int i = 0; i < 400; i++) {
      var kind = Kinds.ALL.get(random.nextInt(Kinds.ALL.size()));
      var document = mutated(kind.example(), random);
      if (!(document instanceof Map<?, ?> map)) {
        continue;
      }
      var faults = faults(map);
      var bySchema = schemaFaults(document);
      if (bySchema.isEmpty()) {
        var structural = faults.stream().filter(f -> !f.matches(meaning)).toList();
        assertThat(structural).as("seed %d: %s", seed, document).isEmpty();
      }
      if (faults.isEmpty()) {
        valid++;
        var read = Kinds.read(map, 1, faults);
        assertThat(schemaFaults(read.content())).as("seed %d: %s", seed, document).isEmpty();
        var written = Kinds.write(read.definition());
        var again = Kinds.read(written, 1, faults);
        assertThat(faults).as("written: %s", written).isEmpty();
        assertThat(again.definition()).isEqualTo(read.definition());
      }
    }
    assertThat(valid).isGreaterThan(20);
  }

  @Test
  void oldFormsAreReadAndWordsMayHaveAnyCase() {
    var faults = new ArrayList<String>();
    var read =
        Kinds.read(
            Documents.map(
                """
                kind: routing
                name: main
                routes: [{name: 7, to: duty}]
                """),
            1,
            faults);
    assertThat(faults).isEmpty();
    assertThat(read.content().toString()).contains("name=7", "to=[duty]");
    read =
        Kinds.read(
            Documents.map(
                """
                kind: dashboard
                name: d
                title: D
                panels:
                - {title: A, show: Table, at: [1, 1, 6, 6], query: m}
                - {title: B, kind: number, at: [1, 900, 6, 6], query: m, limits: [{below: 1, priority: HIGH}]}
                """),
            1,
            faults);
    assertThat(faults).isEmpty();
    var d = ((Definition.OfDashboard) read.definition()).dashboard();
    assertThat(d.panels())
        .extracting(Dashboard.Panel::kind)
        .containsExactly(TablePanel.DEFAULT, BigNumber.DEFAULT);
    assertThat(d.panels().getLast().limits().getFirst().priority()).isEqualTo("high");
  }

  @Test
  void dashboardsChangeAsRecords() {
    var d = Dashboard.empty("fleet", "Fleet");
    d = d.with(Dashboard.Panel.of("CPU", TimeChart.DEFAULT, "cpu"));
    d = d.with(Dashboard.Panel.of("CPU", TablePanel.DEFAULT, "cpu"));
    assertThat(d.panels()).extracting(Dashboard.Panel::id).containsExactly("cpu", "cpu-2");
    assertThat(d.panels().getLast().place().row()).isEqualTo(8);
    d = d.changed("cpu", p -> p.at(new Dashboard.Place(7, 500, 6, 9)));
    d = d.with(Dashboard.Panel.of("Disk", TimeChart.DEFAULT, "disk"));
    assertThat(d.panels().getLast().place().row()).isEqualTo(509);
    var changed = d.changed("disk", p -> Dashboard.Panel.of("Disks", p.kind(), "disk.used"));
    assertThat(changed.panels().getLast().id()).isEqualTo("disk");
    assertThat(changed.panels().getLast().query()).isEqualTo("disk.used");
    assertThat(changed.without("cpu").panels()).hasSize(2);
    assertThatThrownBy(() -> changed.without("none")).hasMessageContaining("no panel of `fleet`");
    var read = Bundle.parse(Bundle.Document.of(new Definition.OfDashboard(changed)).text());
    assertThat(read.documents().getFirst().definition())
        .isEqualTo(new Definition.OfDashboard(changed));
  }

  @Test
  void changesAreNamedByWhatTheyConcern() {
    var before =
        "title: A\npanels: [{id: x, title: X, at: [1, 1, 2, 2]}, {id: y, title: Y, unit: s}]\n";
    var after = "title: B\npanels: [{id: y, title: Y2}, {id: x, title: X, at: [1, 3, 2, 2]}]\n";
    assertThat(Changes.between(before, after))
        .extracting(Changes.Change::words)
        .containsExactly("title A → B", "X: moved", "Y2: title Y → Y2", "Y2: unit removed, was s");
    assertThat(Changes.between(before, after).get(2).path()).isEqualTo("panels.y.title");
    assertThat(Changes.between(after, after)).isEmpty();
  }

  /** An id that a title gives is the same whether it is written or not. */
  @Test
  void aPanelThatGetsATitleStaysTheSame() {
    var before = "title: A\npanels: [{title: 'Busy at {site}', query: a}, {title: Other}]\n";
    var after =
        "title: A\n"
            + "panels: [{id: busy-at-site-, title: 'Busy, {site}', query: b}, {id: other, title:"
            + " Other}]\n";
    assertThat(Changes.between(before, after))
        .extracting(Changes.Change::words)
        .containsExactly(
            "Busy, {site}: title 'Busy at {site}' → 'Busy, {site}'", "Busy, {site}: query a → b");
    assertThat(Changes.between(after, before)).hasSize(2);
  }

  @Test
  void longTextsAreShownFromWhereTheyDiffer() {
    var long60 = "x".repeat(70);
    for (var end : List.of("a", "ab", "")) {
      var change =
          Changes.between("query: " + long60 + end + "1\n", "query: " + long60 + end + "2\n")
              .getFirst()
              .words();
      var sides = change.substring("query ".length()).split(" → ");
      assertThat(sides[0]).startsWith("…").endsWith("1").isNotEqualTo(sides[1]);
      assertThat(sides[1]).startsWith("…").endsWith("2").hasSizeLessThan(20);
    }
    assertThat(Changes.between("query: " + long60 + "\n", "query: y\n").getFirst().words())
        .isEqualTo("query " + "x".repeat(60) + "… → y");
  }

  @Test
  void changesOfADashboardAreSaidAsAPersonWould() {
    var before =
        """
        controls: [{name: site, label: site}]
        panels:
        - {id: refused, title: Refused, at: [1, 1, 6, 7], query: "a\n\n  b", limits: [{above: 10, priority: high}]}
        - {id: old, title: Old one, at: [1, 8, 6, 7]}
        """;
    var after =
        """
        controls: [{name: site, label: site, several: true}]
        sections: [{title: Now, row: 1}]
        panels:
        - {id: refused, title: Refused, at: [1, 2, 5, 7], query: a then sum, limits: [{above: 15, priority: high}], options: {stack: values, zones: [UTC, Asia/Tokyo]}}
        - {id: gates, title: "Gates, table", at: [1, 8, 6, 7]}
        """;
    assertThat(Changes.between(before, after))
        .extracting(Changes.Change::words)
        .containsExactly(
            "site: several set to true",
            "Refused: moved, size 6 × 7 → 5 × 7",
            "Refused: query 'a ⏎ b' → 'a then sum'",
            "Refused: limits high above 10 → 15",
            "Refused: stack set to values",
            "Refused: zones set to UTC, Asia/Tokyo",
            "deleted panel Old one",
            "added panel Gates, table",
            "added section Now");
    assertThat(Changes.between(after, before))
        .extracting(Changes.Change::words)
        .contains(
            "deleted section Now", "Refused: stack removed, was values", "added panel Old one");
    // The first panel of all is told like any other.
    assertThat(Changes.between("title: A\n", "title: A\npanels: [{title: X, at: [1, 1, 2, 2]}]\n"))
        .extracting(Changes.Change::words)
        .containsExactly("added panel X");
  }

  @Test
  void everyFieldIsDescribed() {
    var texts = new TreeSet<String>();
    for (var kind : Kinds.ALL) {
      describe(kind.shape(), texts);
    }
    assertThat(texts).allMatch(t -> t.endsWith("."));
  }

  private static void describe(Shape shape, TreeSet<String> into) {
    if (shape instanceof Shape.Fields f) {
      f.fields()
          .forEach(
              field -> {
                into.add(field.about());
                describe(field.shape(), into);
              });
    } else if (shape instanceof Shape.ListOf l) {
      describe(l.item(), into);
    }
  }
}
