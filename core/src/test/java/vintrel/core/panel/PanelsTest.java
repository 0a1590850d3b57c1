package vintrel.core.panel;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;
import static vintrel.core.panel.Charts.asked;
import static vintrel.core.panel.Charts.chart;
import static vintrel.core.panel.Charts.draw;
import static vintrel.core.panel.Charts.frame;
import static vintrel.core.panel.Charts.kind;
import static vintrel.core.panel.Charts.series;

import java.time.ZoneId;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import vintrel.core.define.Bundle;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.picture.PointTexts;

class PanelsTest {
  private static final ZoneId LONDON = ZoneId.of("Europe/London");
  private static final double NONE = Double.NaN;

  @Test
  void stacksAddUpWhatIsThere() {
    var data =
        frame(
            "", series("a", "", 1, 2, NONE), series("b", "", 3, NONE, 5), series("c", "", 4, 6, 5));
    var values = draw("{draw: area, stack: values}", data);
    assertThat(values.styles().get(0).drawn()).containsExactly(1, 2, NONE);
    assertThat(values.styles().get(1).base()).containsExactly(1, 2, 0);
    assertThat(values.styles().get(1).drawn()).containsExactly(4, NONE, 5);
    assertThat(values.styles().get(2).base()).containsExactly(4, 2, 5);
    assertThat(values.styles().get(2).drawn()).containsExactly(8, 8, 10);
    assertThat(values.picture().axis().max()).isGreaterThanOrEqualTo(10);
    var percent = draw("{stack: percent}", data);
    assertThat(percent.styles().get(2).drawn()).containsExactly(100, 100, 100);
    assertThat(percent.styles().get(0).drawn()[0]).isCloseTo(12.5, within(1e-9));
    assertThat(percent.picture().axis().ticks().getLast().text()).isEqualTo("100 %");
    // What is read off stays what it is.
    var third = draw("{stack: percent}", frame("", series("a", "", 1, 1), series("b", "", 2, 2)));
    assertThat(third.styles().get(0).drawn()[0]).isCloseTo(100 / 3.0, within(1e-12));
    assertThat(third.shown().styles().get(0).drawn()).containsExactly(33.333, 33.333);
    assertThat(third.shown().styles().get(1).base()).containsExactly(33.333, 33.333);
    var first = percent.picture().traces().getFirst();
    assertThat(first.values()).containsExactly(1, 2, NONE);
    assertThat(percent.picture().unit()).isEmpty();
    assertThat(PointTexts.shares(first.shares())).isEqualTo("12.5 %|25.0 %|");
    assertThat(PointTexts.shares(percent.picture().traces().getLast().shares()))
        .isEqualTo("50.0 %|75.0 %|50.0 %");
    assertThat(values.picture().traces().getFirst().shares()).isNull();
  }

  @Test
  void valuesLieWhereTheScaleSays() {
    var data = frame("", series("a", "", 1, 100, -5, 0));
    var log = draw("{scale: log}", data);
    assertThat(log.styles().getFirst().drawn()).containsExactly(0, 2, NONE, NONE);
    assertThat(log.picture().axis().min()).isEqualTo(0);
    assertThat(log.picture().axis().max()).isEqualTo(2);
    var two = draw("{scale: log 2}", frame("", series("a", "", 1, 2, 8)));
    assertThat(two.picture().axis().ticks())
        .extracting(t -> t.text())
        .containsExactly("1", "2", "4", "8");
    var signed = draw("{scale: signed log, linear: 10}", frame("", series("a", "", -90, 0, 90)));
    assertThat(signed.styles().getFirst().drawn()).containsExactly(-1, 0, 1);
    for (var tick : signed.picture().axis().ticks()) {
      double value = Double.parseDouble(tick.text().replace('−', '-'));
      assertThat(tick.at()).isCloseTo(ValueScale.SIGNED_LOG.at(value, 10), within(1e-9));
    }
    // Every scale keeps the order and has its ticks within its ends.
    var random = new Random(4);
    for (int i = 0; i < 500; i++) {
      var scale = ValueScale.values()[random.nextInt(4)];
      double low = Math.pow(10, random.nextInt(12) - 6) * random.nextDouble();
      double high = low + Math.pow(10, random.nextInt(12) - 6) * (random.nextDouble() + 0.01);
      var axis =
          scale.axis(low, high, new ValueScale.Ends(null, null, null, null, false), 1, "", 5);
      assertThat(scale.at(low, 1)).as(scale + " " + low).isBetween(axis.min() - 1e-9, axis.max());
      assertThat(scale.at(high, 1)).isBetween(axis.min(), axis.max() + 1e-9);
      assertThat(axis.ticks()).isNotEmpty().hasSizeLessThan(16);
      axis.ticks().forEach(t -> assertThat(t.at()).isBetween(axis.min() - 1e-9, axis.max() + 1e-9));
    }
  }

  @Test
  void endsAreHardSoftOrInTheMiddle() {
    var data = frame("", series("a", "", 20, 35, 30));
    assertThat(draw("{from: 25, to: 31}", data).picture().axis().min()).isEqualTo(25);
    assertThat(draw("{from: 25, to: 31}", data).picture().axis().max()).isEqualTo(31);
    assertThat(draw("{soft-to: 100}", data).picture().axis().max()).isEqualTo(100);
    assertThat(draw("{soft-to: 10}", data).picture().axis().max()).isBetween(35.0, 40.0);
    var middle = draw("{middle: true}", data).picture().axis();
    assertThat(middle.min()).isEqualTo(-middle.max());
  }

  @Test
  void thereIsRoomOverALimitAndNoneIsAddedWhereThereIs() {
    var data = List.of(frame("", series("a", "", 20, 35, 30)));
    for (double limit : new double[] {40, 50, 100, 98, 60}) {
      var drawn =
          (Drawing.Chart) chart("{}").draw(asked(data, List.of(), new Limit(limit, true, "high")));
      var axis = drawn.picture().axis();
      assertThat(axis.max() - limit).as("" + limit).isGreaterThan(0.02 * axis.max());
      assertThat(axis.max()).isLessThan(1.6 * limit);
    }
    var below = new Limit(40, false, "high");
    var drawn = (Drawing.Chart) chart("{}").draw(asked(data, List.of(), below));
    assertThat(drawn.picture().axis().max()).isEqualTo(40);
    var fixed = new Limit(40, true, "high");
    drawn = (Drawing.Chart) chart("{to: 40}").draw(asked(data, List.of(), fixed));
    assertThat(drawn.picture().axis().max()).isEqualTo(40);
  }

  @Test
  void aNumberSaysWhichMinuteItIsOf() {
    var data = frame("", series("a", "", 20, 35, NONE));
    assertThat(when("{}", data)).isEqualTo("01:01");
    assertThat(when("{shows: sum}", data)).isEqualTo("sum of the range");
    var of = List.<Column>of(new Column.Time("time", new long[] {-86_400_000}), series("a", "", 1));
    assertThat(when("{}", new Frame("", of))).isEqualTo("31 Dec 01:00");
    assertThat(when("{}", frame("", series("a", "", NONE)))).isEmpty();
  }

  private static String when(String options, Frame frame) {
    var drawn = kind("number", options).draw(asked(List.of(frame), List.of()));
    return ((Drawing.Tiles) drawn).tiles().getFirst().when();
  }

  @Test
  void styleRulesAreForSomeSeriesAndALaterOneWins() {
    var data =
        List.of(
            frame("busy", series("nq-1", "", 1, 9), series("mi-1", "", 1, 2)),
            frame("all", series("x", "", 5, 5)));
    var chart =
        chart(
            "{styles: [{series: 'n*', width: 3}, {where: \"host = 'nq-1'\", width: 4, colour: 7},"
                + " {line: all, draw: bars}, {above: 4, dash: dashed}, {series: mi-1, hidden:"
                + " true}]}");
    var drawn = (Drawing.Chart) chart.draw(asked(data, List.of()));
    assertThat(drawn.picture().traces()).extracting(t -> t.name()).containsExactly("nq-1", "x");
    assertThat(drawn.styles().get(0).width()).isEqualTo(4);
    assertThat(drawn.styles().get(0).dash()).isEqualTo("dashed");
    assertThat(drawn.picture().traces().get(0).colour()).isEqualTo(7);
    assertThat(drawn.styles().get(1).draw()).isEqualTo("bars");
    assertThat(drawn.picture().axis().min()).isZero();
  }

  @Test
  void anEarlierTimeIsDrawnDashedAndNotStacked() {
    var chart = chart("{earlier: 1m, stack: values}");
    assertThat(chart.earlier()).isEqualTo(60_000);
    var now = List.of(frame("", series("a", "", 1, 2), series("b", "", 5, 5)));
    var before = List.of(frame("", series("a", "", 7, 8)));
    var drawn = (Drawing.Chart) chart.draw(asked(now, before));
    assertThat(drawn.picture().traces())
        .extracting(t -> t.earlier())
        .containsExactly(false, false, true);
    assertThat(drawn.picture().traces().get(2).times()).startsWith(60_000);
    assertThat(drawn.styles().get(2).drawn()).isNull();
    assertThat(drawn.styles().get(1).drawn()).containsExactly(6, 7);
  }

  @Test
  void gapsAreBridgedAsFarAsIsWanted() {
    var data = frame("", series("a", "", 1, 2, 3, 4, NONE, 5, 6, NONE, NONE, NONE, 9, 9));
    assertThat(draw("{gaps: joined}", data).picture().traces().getFirst().joined())
        .containsExactly(4, 7, 8, 9);
    assertThat(draw("{gaps: joined to, join-to: 2m}", data).picture().traces().getFirst().joined())
        .containsExactly(4);
  }

  @Test
  void aNumberIsComparedInWords() {
    var now = List.of(frame("", series("a", "By", 4, 6, NONE)));
    var before = List.of(frame("", series("a", "By", 3, 4, 4)));
    var tile =
        tile(
            "{against: earlier, before: 1w}",
            now,
            before,
            new Limit(5, true, "high"),
            new Limit(2, true, "low"));
    assertThat(tile.value() + " " + tile.unit()).isEqualTo("6 B");
    assertThat(tile.change()).isEqualTo("50 % more than 7 d before");
    assertThat(tile.passed()).isEqualTo("high");
    assertThat(tile("{against: start}", now, before).change())
        .isEqualTo("50 % more than at the start");
    assertThat(tile("{against: earlier, before: 1w}", now, List.of()).change())
        .isEqualTo("nothing 7 d before");
    assertThat(tile("{shows: max, texts: {'6': full}}", now, before).value()).isEqualTo("full");
    assertThat(tile("{none: away}", List.of(frame("", series("a", "", NONE))), before).value())
        .isEqualTo("away");
  }

  private static Drawing.Tile tile(
      String options, List<Frame> now, List<Frame> before, Limit... limits) {
    return ((Drawing.Tiles) kind("number", options).draw(asked(now, before, limits)))
        .tiles()
        .getFirst();
  }

  @Test
  void aRankingIsSortedFromZeroWithTheEarlierValue() {
    var now =
        List.of(frame("", series("a", "%", 1, 5), series("b", "%", 9, 8), series("c", "%", NONE)));
    var then = List.of(frame("", series("a", "%", 2, 2)));
    var drawn =
        (Drawing.Shapes)
            kind("ranking", "{before: 1d}").draw(asked(now, then, new Limit(7, true, "high")));
    assertThat(drawn.words()).isEqualTo("b 8 %, a 5 %");
    assertThat(drawn.marks().stream().filter(m -> m.look().equals("bar high"))).hasSize(1);
    assertThat(drawn.marks().stream().filter(m -> m.look().equals("then"))).hasSize(1);
    var rows =
        new Frame(
            "",
            List.of(
                new Column.Text("site", new String[] {"n", "s"}),
                Column.Number.of("total", "", new double[] {-1, 4})));
    var table =
        (Drawing.Shapes)
            kind("ranking", "{order: least first}").draw(asked(List.of(rows), List.of()));
    assertThat(table.words()).isEqualTo("n −1, s 4");
  }

  @Test
  void aDialPointsBetweenItsEnds() {
    for (double v : new double[] {-50, 0, 150, 300, 900}) {
      var drawn =
          (Drawing.Shapes)
              kind("dial", "{from: 0, to: 300}")
                  .draw(asked(List.of(frame("", series("a", "t", 10, v))), List.of()));
      var needle =
          drawn.marks().stream().filter(m -> m.look().equals("needle")).findFirst().orElseThrow();
      double x = Double.parseDouble(needle.path().split("[ML ]+")[3]);
      double part = Math.clamp(v / 300, 0, 1);
      assertThat(Math.signum(Math.rint(x - 300))).isEqualTo(Math.signum(part - 0.5));
    }
    assertThat(kind("dial", "{}").draw(asked(List.of(), List.of())).words()).isEqualTo("no number");
  }

  @Test
  void notesAreSafeAndFilled() {
    var html =
        ((Drawing.Text)
                new Note(
                        "**{now}** {gone}<script>alert(1)</script> [a](javascript:alert(1))"
                            + " [b](https://x.example)")
                    .draw(asked(List.of(frame("now", series("a", "t", 231))), List.of())))
            .html();
    assertThat(html).contains("<strong>231 t</strong> {gone}", "href=\"https://x.example\"");
    assertThat(html).doesNotContain("<script", "javascript:");
    // What a query gives is no markup either.
    var text = Frame.class.cast(frame("now", series("a", "<b>", 1)));
    assertThat(((Drawing.Text) new Note("{now}").draw(asked(List.of(text), List.of()))).html())
        .doesNotContain("<b>");
  }

  /**
   * Whatever settings a panel has, its document says them, and the schema of its kind knows them.
   */
  @Test
  void settingsSurviveTheirDocuments() {
    var random = new Random(13);
    for (var kind : PanelKinds.ALL) {
      for (int i = 0; i < 200; i++) {
        var changed = randomly(kind, random);
        if (!changed.faults().isEmpty()) {
          continue;
        }
        var d = Dashboard.empty("d", "D").with(Dashboard.Panel.of("A", changed, "m"));
        var text = Bundle.Document.of(new Definition.OfDashboard(d)).text();
        var read = (Definition.OfDashboard) Bundle.parse(text).documents().getFirst().definition();
        assertThat(read.dashboard()).as(text).isEqualTo(d);
      }
    }
  }

  private static PanelKind randomly(PanelKind kind, Random random) {
    try {
      var parts = kind.getClass().getRecordComponents();
      var values = new Object[parts.length];
      var types = new Class<?>[parts.length];
      for (int i = 0; i < parts.length; i++) {
        types[i] = parts[i].getType();
        values[i] = parts[i].getAccessor().invoke(kind);
        var s = parts[i].getAnnotation(Setting.class);
        if (random.nextInt(4) == 0) {
          values[i] = other(parts[i].getName(), types[i], s, values[i], random);
        }
      }
      return (PanelKind) kind.getClass().getDeclaredConstructor(types).newInstance(values);
    } catch (ReflectiveOperationException e) {
      throw new AssertionError(e);
    }
  }

  private static Object other(String name, Class<?> type, Setting s, Object old, Random random) {
    if (type.isEnum()) {
      return type.getEnumConstants()[random.nextInt(type.getEnumConstants().length)];
    }
    if (type == boolean.class) {
      return random.nextBoolean();
    }
    if (type == long.class) {
      return (long) Math.max(s.min(), 1_000) * (1 + random.nextInt(100));
    }
    if (type == int.class) {
      return (int) s.min() + random.nextInt((int) (s.max() - s.min()) + 1);
    }
    if (type == double.class || type == Double.class) {
      double low = Math.max(s.min(), -1_000);
      return low + random.nextInt(1 + (int) (Math.min(s.max(), 1_000) - low));
    }
    if (type == String.class) {
      return "text " + random.nextInt(9);
    }
    if (type == Map.class) {
      return new LinkedHashMap<>(Map.of("1", "open", "0", "shut"));
    }
    return switch (name) {
      case "zones" -> List.of("Europe/Oslo");
      case "shows" -> List.of(Statistic.COUNT, Statistic.SUM);
      case "columns", "bars", "limitsOn" -> List.of("a", "b");
      default -> old;
    };
  }

  @Test
  void faultsOfSettingsAreNamedWithTheirPath() {
    var text =
        """
        kind: dashboard
        name: d
        title: D
        panels:
        - {title: A, at: [1, 1, 6, 6], query: m, options: {scale: cubic, wdith: 2, width: 90}}
        - {title: C, kind: dail, at: [1, 1, 6, 6], query: m}
        - {title: D, kind: dial, at: [12, 1, 6, 6], options: {stack: values}}
        - {title: E, kind: note, at: [1, 1, 6, 6]}
        """;
    assertThat(faults(text))
        .contains("panels[0].options.scale: must be one of linear, log 2, log, signed log")
        .contains("panels[0].options.wdith: unknown key; did you mean width?")
        .contains("panels[0].options.width: must be at most 8")
        .contains("panels[1].kind: must be one of time-chart, number, dial, ranking, table, note")
        .contains("panels[2].at: must fit in the 12 columns")
        .contains("panels[2].options.stack: unknown key", "panels[2].query: is missing")
        .doesNotContain("panels[3]");
  }

  @Test
  void theExampleInTheDocumentsIsValid() throws Exception {
    var file = java.nio.file.Path.of("..", "docs", "definitions.md");
    var text = java.nio.file.Files.readString(file);
    var block = text.substring(text.indexOf("## Panels of a dashboard"));
    block = block.substring(block.indexOf("```yaml") + 8);
    block = block.substring(0, block.indexOf("```"));
    var head = "kind: dashboard\nname: d\ntitle: D\npanels:\n";
    assertThat(faults(head + block)).isEmpty();
    // Every kind and every option that the table names is there.
    var table = text.substring(text.indexOf("| kind | shows |"));
    table = table.substring(0, table.indexOf("\n\n"));
    for (var row : table.lines().skip(2).toList()) {
      var cells = row.split("\\|");
      var word = cells[1].strip().replace("`", "");
      var known = PanelKinds.named(word);
      assertThat(known).as(word).isNotNull();
      var names =
          Arrays.stream(known.getClass().getRecordComponents())
              .map(c -> c.getName().replaceAll("([A-Z])", "-$1").toLowerCase())
              .toList();
      var m = java.util.regex.Pattern.compile("`([a-z-]+)`").matcher(cells[3]);
      while (m.find()) {
        assertThat(names).as(word).contains(m.group(1));
      }
    }
  }

  @Test
  void faultsBetweenSettingsAreNamedToo() {
    var text =
        """
        kind: dashboard
        name: d
        title: D
        panels:
        - {title: B, at: [1, 1, 6, 6], query: m, options: {zones: [Quay/North], from: 9, to: 3, styles: [{where: 'a ='}]}}
        """;
    assertThat(faults(text))
        .contains("panels[0].options.zones: 'Quay/North' is not a time zone")
        .contains("panels[0].options.to: must be greater than from")
        .contains("panels[0].options.styles[0].where: column");
  }

  private static String faults(String text) {
    try {
      Bundle.parse(text);
      return "";
    } catch (DefinitionException e) {
      return String.join("\n", e.faults());
    }
  }

  @Test
  void aLineIsCutAfterASilenceThoughItsSamplesAreRare() {
    // One value in two minutes is dense for a series that has no more.
    var data = frame("", series("a", "", 1, NONE, 2, NONE, 3, NONE, 4));
    assertThat(draw("{}", data).picture().traces().getFirst().joined()).containsExactly(1, 3, 5);
    assertThat(draw("{gaps: cut after, join-to: 1m}", data).picture().traces().getFirst().joined())
        .isEmpty();
    assertThat(draw("{gaps: cut after, join-to: 2m}", data).picture().traces().getFirst().joined())
        .containsExactly(1, 3, 5);
  }

  @Test
  void rulesPutSeriesOnAxesAsFarAsTheirUnitsAllow() {
    var busy = frame("busy", series("a", "%", 10, 20), series("b", "%", 50, 60));
    var sent = frame("sent", series("c", "By/s", 1000, 2000));
    var right = draw("{styles: [{series: b, axis: right}]}", busy);
    assertThat(right.picture().traces()).extracting(t -> t.axis()).containsExactly(0, 1);
    assertThat(right.picture().secondUnit()).isEqualTo("%");
    assertThat(right.picture().axis().max()).isLessThan(50);
    assertThat(right.picture().second().max()).isGreaterThanOrEqualTo(60);
    // On the axis of another unit its numbers would be read wrongly: it has its own at that side.
    var other = draw("{styles: [{line: sent, axis: left}]}", busy, sent);
    assertThat(other.picture().traces()).extracting(t -> t.axis()).containsExactly(0, 0, 2);
    assertThat(other.picture().unitOf(2)).isEqualTo("By/s");
    assertThat(other.axes()).extracting(a -> a.side()).containsExactly("left", "hidden", "left");
    var own = draw("{styles: [{series: a, axis: hidden}]}", busy);
    assertThat(own.picture().traces().getFirst().axis()).isEqualTo(2);
    assertThat(own.picture().unitOf(2)).isEqualTo("%");
    assertThat(own.picture().second()).isNull();
    assertThat(own.words()).contains("a 20 %");
    var alone =
        draw(
            "{}",
            frame("", series("a", "%", 1)),
            frame("", series("b", "s", 2)),
            frame("", series("c", "By", 3)));
    assertThat(alone.words()).isEqualTo("3 series: a 1 %, b 2 s, c 3 B");
  }

  @Test
  void axesHaveWordsRoomAndTheColourOfTheirOnlySeries() {
    var data = frame("", series("a", "%", 10, 20));
    var axes =
        draw("{axis-words: Load, axis-room: 80, grid: false, axis-colour: true}", data).axes();
    assertThat(axes.getFirst())
        .isEqualTo(
            new Drawing.AxisLook(
                "Load", "left", false, 80, axes.getFirst().colour(), -1, "linear", 1));
    assertThat(axes.getFirst().colour()).isNotNull();
    var two = frame("", series("a", "%", 10, 20), series("b", "%", 10, 20));
    assertThat(draw("{axis-colour: true, side: hidden}", two).axes().getFirst())
        .isEqualTo(new Drawing.AxisLook("", "hidden", true, 0, null, -1, "linear", 1));
  }

  @Test
  void columnsHaveTheWidthsThatAreSet() {
    assertThatThrownBy(() -> kind("table", "{widths: {a: wide}}"))
        .isInstanceOf(DefinitionException.class)
        .hasMessageContaining("10 to 9999 px");
    assertThat(((TablePanel) kind("table", "{widths: {a: 120}}")).widths())
        .containsEntry("a", "120");
  }
}
