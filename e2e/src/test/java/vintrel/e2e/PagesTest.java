package vintrel.e2e;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;
import static org.assertj.core.api.Assertions.assertThat;

import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.options.AriaRole;
import java.io.IOException;
import java.nio.file.Files;
import java.util.List;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.ExtendWith;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

@ExtendWith(RunningDemo.class)
class PagesTest {
  private static final String SERIOUS =
      """
      async () => (await axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']})).violations
        .filter(v => v.impact === 'serious' || v.impact === 'critical')
        .map(v => v.id + ': ' + v.nodes.map(n => n.target.join(' ')).slice(0, 5).join(', '))
      """;

  /** Every panel has its picture, table, number or reason. */
  static void awaitPanels(Page page) {
    page.waitForFunction(
        "() => { const f = [...document.querySelectorAll('.figure[data-panel]')]; const near = x =>"
            + " x.getBoundingClientRect().top < innerHeight; return f.length > 0 &&"
            + " f.every(x => x.dataset.done || !near(x)); }");
  }

  @ParameterizedTest
  @CsvSource({
    "/dashboards/boarding, Boarding and bookings",
    "/dashboards/fleet, Fleet",
    "/dashboards/services, Services",
    "/dashboards/panel-kinds, Panel kinds",
    "/collect/resources, Collect",
    "/dashboards, Dashboards",
    "/bench, Bench",
    "/bench?q=host.cpu.busy then mean by site, Bench",
    "/bench?q=host.cpu.busy then mean by site&form=plan, Bench",
    "/bench/events?from=-6h&to=now, Events",
    "/bench/reference, Query language",
    "/collect/elsewhere, External stores",
    "/watch, Watch",
    "/watch/rules, Watch",
    "/watch/rules/disk-full, Disk nearly full",
    "/notify, Notify",
    "/collect, Collect",
    "/collect/stores, Collect",
    "/collect/connect, Collect",
    "/collect/jobs, Collect",
    "/collect/jobs/edit?job=scanners, Collect",
    "/collect/checks?check=booking-page, Collect",
    "/collect/checks/edit?kind=sql, Collect",
    "/collect/tokens, Collect",
    "/collect/import, Collect",
    "/collect/source?token=gates&way=OTLP&service=, gates",
    "/docs/api, API reference",
    "/collect/collectors, Collect",
    "/dashboards/vintrel, Vintrel server health",
    "/dashboards/import, Import dashboards",
    "/dashboards/boarding?edit=1&from=-2h&to=-1h, Boarding and bookings",
    "/definitions/collector/fleet?from=1&to=2, History of fleet",
    "/signin, Vintrel"
  })
  void everyMainPageOpensInBothThemesWithoutComplaintAndIsAccessible(String path, String heading)
      throws IOException {
    var axe =
        Files.readString(
            RunningDemo.root().resolve("server/src/main/web/node_modules/axe-core/axe.min.js"));
    try (var sheet = RunningDemo.open(path)) {
      var page = sheet.page();
      assertThat(
              page.getByRole(
                      AriaRole.HEADING, new Page.GetByRoleOptions().setName(heading).setExact(true))
                  .first())
          .isVisible();
      if (path.startsWith("/dashboards/") && !path.contains("edit") && !path.contains("import")) {
        awaitPanels(page);
      }
      if (path.contains("edit=1")) {
        // All are drawn, and nothing is asked again in a range that ends before now.
        page.waitForFunction(
            "() => { const b = [...document.querySelectorAll('.grid-stack-item .body')];"
                + " return b.length > 0 && b.every(x => x.childElementCount); }");
      }
      for (var theme : List.of("day", "night")) {
        page.evaluate(
            "t => { document.documentElement.dataset.theme = t; document.dispatchEvent(new"
                + " Event('vintrel:theme')); }",
            theme);
        page.evaluate(axe);
        assertThat((List<?>) page.evaluate(SERIOUS)).as("%s by %s", path, theme).isEmpty();
      }
      assertThat(sheet.complaints()).isEmpty();
    }
  }

  /** A phone, 400 px wide: nothing is wider than the window, and every area can be reached. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "/dashboards/fleet",
        "/dashboards/panel-kinds",
        "/dashboards",
        "/collect/resources",
        "/bench",
        "/bench?q=host.cpu.busy then mean by site",
        "/bench/events?from=-6h&to=now",
        "/bench/reference",
        "/watch",
        "/watch/rules",
        "/watch/rules/disk-full",
        "/notify",
        "/collect",
        "/collect/stores",
        "/collect/connect",
        "/collect/jobs",
        "/collect/jobs/edit",
        "/collect/checks?check=booking-page",
        "/collect/checks/edit",
        "/collect/tokens",
        "/collect/elsewhere",
        "/collect/import",
        "/collect/collectors",
        "/dashboards/import",
        "/definitions/collector/fleet?from=1&to=2",
        "/docs/sending",
        "/docs/instrumenting",
        "/docs/collector",
        "/signin"
      })
  void aPhoneShowsEveryPageWithinItsWidth(String path) {
    try (var sheet = RunningDemo.open(path)) {
      var page = sheet.page();
      page.setViewportSize(400, 800);
      if (path.startsWith("/dashboards/") && !path.contains("import")) {
        awaitPanels(page);
      }
      assertThat(page.evaluate("() => document.documentElement.scrollWidth")).isEqualTo(400);
      if (!path.equals("/signin")) {
        assertThat(page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("Notify")))
            .isVisible();
      }
    }
  }

  @Test
  void aDashboardDrawsItsChartsNumbersTablesAndLegends() {
    try (var sheet = RunningDemo.open("/dashboards/fleet")) {
      var page = sheet.page();
      awaitPanels(page);
      var cpu = page.locator("[data-panel=cpu-busy-busiest-hosts]");
      assertThat(cpu.locator("canvas")).isVisible();
      assertThat(cpu.locator(".legend tbody tr")).hasCount(5);
      assertThat(cpu.locator(".legend th"))
          .hasText(new String[] {"Series, %", "last", "min", "max", "mean"});
      assertThat(page.locator("[data-panel=hosts-reporting] .big")).containsText("24");
      // What is out of sight is not asked before it comes into view.
      var hosts = page.locator("[data-panel=hosts]");
      assertThat(hosts.locator("tbody tr")).hasCount(0);
      hosts.scrollIntoViewIfNeeded();
      assertThat(hosts.locator("tbody tr")).hasCount(24);
      cpu.scrollIntoViewIfNeeded();
      var box = cpu.locator(".plot").boundingBox();
      page.mouse().move(box.x + box.width / 2, box.y + box.height / 2);
      assertThat(cpu.locator(".readout tr")).hasCount(5);
    }
  }

  @Test
  void newSamplesAppearWithoutReloading() {
    try (var sheet = RunningDemo.open("/dashboards/boarding")) {
      var page = sheet.page();
      awaitPanels(page);
      var before = page.locator("[data-panel=scans-by-site]").getAttribute("data-done");
      page.waitForFunction(
          "before => document.querySelector('[data-panel=scans-by-site]').dataset.done > before",
          before);
    }
  }

  @Test
  void aDragAcrossAChartSetsTheRangeOfAllPanelsAndBackUndoesIt() {
    try (var sheet = RunningDemo.open("/dashboards/fleet?from=-6h&to=now")) {
      var page = sheet.page();
      awaitPanels(page);
      var box = page.locator("[data-panel=cpu-busy-by-site] .plot").boundingBox();
      drag(page, box.x + box.width * 0.4, box.y + 60, box.x + box.width * 0.6, box.y + 60);
      page.waitForURL(Pattern.compile("from=\\d{13}&to=\\d{13}"));
      long from = number(page.url(), "from");
      long to = number(page.url(), "to");
      assertThat(to - from).isBetween(60 * 60_000L, 100 * 60_000L);
      assertThat(page.locator("[data-hold]")).hasAttribute("aria-pressed", "true");
      page.goBack();
      assertThat(page.locator("[data-span='6h']")).hasAttribute("aria-pressed", "true");
      assertThat(page.url()).contains("from=-6h");
    }
  }

  private static long number(String url, String name) {
    var m = Pattern.compile(name + "=(\\d+)").matcher(url);
    assertThat(m.find()).isTrue();
    return Long.parseLong(m.group(1));
  }

  static void drag(Page page, double x0, double y0, double x1, double y1) {
    page.mouse().move(x0, y0);
    page.mouse().down();
    page.mouse().move((x0 + x1) / 2, (y0 + y1) / 2);
    page.mouse().move(x1, y1);
    page.mouse().up();
  }

  @Test
  void theTimeRailIsDraggedWidenedTypedAndFollowedAgain() {
    try (var sheet = RunningDemo.open("/dashboards/services?from=-1h&to=now")) {
      var page = sheet.page();
      awaitPanels(page);
      var strip = page.locator(".strip").boundingBox();
      double y = strip.y + 20;
      var window = page.locator(".strip .window").boundingBox();
      drag(page, window.x + window.width / 2, y, window.x - 100, y);
      page.waitForURL(Pattern.compile("from=\\d{13}"));
      long length = number(page.url(), "to") - number(page.url(), "from");
      assertThat(length).isBetween(3_500_000L, 3_700_000L);

      var moved = page.locator(".strip .window").boundingBox();
      drag(page, moved.x, y, moved.x - 60, y);
      page.waitForFunction(
          "() => new URLSearchParams(location.search).get('to') - new"
              + " URLSearchParams(location.search).get('from') > 3800000");

      page.locator("[data-span='6h']").click();
      page.waitForURL(Pattern.compile("from=-6h&to=now"));
      assertThat(page.locator("[data-follow]")).hasAttribute("aria-pressed", "true");

      var typed = page.locator(".rail .typed");
      typed.first().fill("yesterday 14:00");
      typed.last().fill("yesterday 15:30");
      typed.last().press("Enter");
      page.waitForURL(Pattern.compile("from=\\d{13}"));
      assertThat(number(page.url(), "to") - number(page.url(), "from")).isEqualTo(5_400_000L);
    }
  }

  @Test
  void theBenchAnswersWhatIsTypedAndPointsAtMistakes() {
    try (var sheet = RunningDemo.open("/bench")) {
      var page = sheet.page();
      page.locator("[data-metric='scan.attempts']:not([data-source])").click();
      assertThat(page.locator("#legend tbody tr").first()).isVisible();
      button(page, "Text").click();
      var editor = page.locator("#editor .cm-content");
      editor.fill("scan.attempts where result = 'refused' then rate per minute then sum by site");
      assertThat(page.locator("#legend tbody tr")).hasCount(3);
      button(page, "Table").click();
      assertThat(page.locator("#table tbody tr")).hasCount(3);
      editor.fill("scan.attemps then rate");
      assertThat(page.locator("#fault")).containsText("did you mean `scan.attempts`?");
      editor.fill("scan.attempts then sum");
      assertThat(page.locator("#advice")).containsText("is a counter");
      button(page, "Add rate").click();
      assertThat(editor).hasText("scan.attempts then rate then sum");
      assertThat(page.locator("#advice")).isHidden();
      editor.fill("scan.attempts where gate = 'nowhere'");
      assertThat(page.locator("#empty-state"))
          .containsText("No series of scan.attempts matches gate = 'nowhere'");
      assertThat(page.url()).contains("q=scan.attempts");
    }
  }

  static Locator button(Page page, String name) {
    return page.getByRole(
        AriaRole.BUTTON, new Page.GetByRoleOptions().setName(name).setExact(true));
  }

  @Test
  void aQueryIsBuiltOfChipsAndIsTheSameAsText() {
    try (var sheet = RunningDemo.open("/bench")) {
      var page = sheet.page();
      page.locator("[data-metric='scan.attempts']:not([data-source])").click();
      assertThat(page.locator(".chip.metric")).hasText("scan.attempts");
      page.locator(".chip.add", new Page.LocatorOptions().setHasText("+ then")).click();
      page.locator(".pick input").fill("top");
      page.locator(".pick input").press("Enter");
      assertThat(page.locator("#legend tbody tr")).hasCount(3);
      // A number is changed, a step switched off, a condition taken from the labels at the left.
      page.locator(".step >> nth=1").locator(".chip.number").click();
      page.locator(".pick input").fill("2");
      page.locator(".pick input").press("Enter");
      assertThat(page.locator("#legend tbody tr")).hasCount(2);
      page.locator("#labels summary", new Page.LocatorOptions().setHasText("site")).click();
      page.locator("#labels .values button", new Page.LocatorOptions().setHasText("mid-isles"))
          .click();
      assertThat(page.locator(".chip.value")).hasText("'mid-isles'");
      page.getByLabel("top 2: on").click();
      assertThat(page.locator("#legend tbody tr")).hasCount(12);
      button(page, "Text").click();
      assertThat(page.locator("#editor .cm-content"))
          .hasText("scan.attempts where site = 'mid-isles' then rate then off top 2");
      button(page, "Chips").click();
      assertThat(page.locator(".shape-words").first()).containsText("12 series");
      page.locator(".step >> nth=0").locator(".shape-words").click();
      assertThat(page.locator(".step >> nth=0").locator("tbody tr")).hasCount(6);
      button(page, "Undo").click();
      assertThat(page.locator("#legend tbody tr")).hasCount(2);
    }
  }

  @Test
  void severalLinesSamplesStatisticsAndAnEarlierTimeAreShown() {
    try (var sheet = RunningDemo.open("/bench?q=host.load+then+mean")) {
      var page = sheet.page();
      assertThat(page.locator("#legend tbody tr")).hasCount(1);
      page.locator("[data-metric='host.cpu.busy']:not([data-source])").click();
      assertThat(page.locator(".line")).hasCount(2);
      assertThat(page.locator("#legend tbody tr")).hasCount(25);
      page.locator("#compare").selectOption("1d");
      assertThat(page.locator("#legend tbody tr")).hasCount(50);
      page.locator("#step").selectOption("15m");
      assertThat(page.locator("#summary")).containsText("one point every 15m");
      button(page, "Statistics").click();
      assertThat(page.locator("#table th").first()).hasText("series");
      // Also of the day before.
      assertThat(page.locator("#table tbody tr")).hasCount(50);
      button(page, "Samples").click();
      assertThat(page.locator("#table tbody tr").first()).containsText("host");
      button(page, "Plan").click();
      assertThat(page.locator("#table tbody tr").first()).containsText("host.load");
      assertThat(page.locator("#table tbody tr").last()).containsText("total (");
      page.reload();
      assertThat(page.locator("#table tbody tr").last()).containsText("total (");
    }
  }

  @Test
  void theEmptyBenchBeginsWithQuestionsAndEveryStepShowsItsResult() {
    try (var sheet = RunningDemo.open("/bench")) {
      var page = sheet.page();
      assertThat(page.locator("#answer")).isHidden();
      var question =
          page.locator("#start .question", new Page.LocatorOptions().setHasText("scan.attempts"));
      assertThat(question.locator(".glimpse path").first()).isAttached();
      question.click();
      assertThat(page.locator("#start")).isHidden();
      assertThat(page.locator(".step .glimpse")).hasCount(2);
      assertThat(page.locator("#legend tbody tr")).hasCount(12);
      // One is hidden, another shown alone, then all again.
      page.locator("#legend .swatch-act").first().click();
      assertThat(page.locator("#legend tr.off")).hasCount(1);
      var name = page.locator("#legend .entry button:not(.swatch-act)").nth(3);
      name.click();
      assertThat(page.locator("#legend tr.off")).hasCount(11);
      name.click();
      assertThat(page.locator("#legend tr.off")).hasCount(0);
    }
  }

  @Test
  void whatIsOnWhichAxisIsSaidWhereThereAreTwo() {
    try (var sheet =
        RunningDemo.open(
            "/bench?q=busy:+host.cpu.busy+then+mean%0Aasked:+http.requests+then+rate+then+sum")) {
      var page = sheet.page();
      assertThat(page.locator(".axis-words.left")).containsText("busy");
      assertThat(page.locator(".axis-words.right")).containsText("asked");
    }
  }

  @Test
  void whatWasFoundGoesToADashboardAndIsWatched() {
    try (var sheet = RunningDemo.open("/bench?q=host.load+then+mean+by+site")) {
      var page = sheet.page();
      assertThat(page.locator("#legend tbody tr")).hasCount(3);
      page.locator("#keep summary").click();
      button(page, "Add to dashboard…").click();
      page.getByLabel("Panel title").fill("Load by site");
      page.getByLabel("Dashboard (pick one").fill("From the Bench");
      button(page, "Add").last().click();
      // It lands in the sheet of the new panel.
      assertThat(page.locator(".ps-title")).hasValue("Load by site");
      assertThat(page.locator(".ps-frame canvas")).isVisible();
      page.goBack();
      page.locator("#keep summary").click();
      button(page, "Watch this…").click();
      page.getByLabel("Title", new Page.GetByLabelOptions().setExact(true)).fill("Load is high");
      // A limit is proposed from the history; what is no number is said at its field.
      var limit = page.locator("[data-key='limits[0].value']");
      assertThat(limit).not().hasValue("");
      limit.fill("high");
      limit.press("Enter");
      assertThat(page.locator(".rule-limit .place-fault")).containsText("number");
      limit.fill("90");
      limit.press("Enter");
      assertThat(page.locator(".rule-limit .place-fault")).hasCount(0);
      button(page, "Create rule").click();
      page.waitForURL("**/watch/rules/load-is-high**");
    }
  }

  @Test
  void eventsAreSearchedNarrowedAndCounted() {
    try (var sheet = RunningDemo.open("/bench/events?from=-6h&to=now")) {
      var page = sheet.page();
      assertThat(page.locator(".event").first()).isVisible();
      page.getByLabel("Text").fill("REFUSED");
      assertThat(page.locator("#summary")).containsText("events; one bar per 5m");
      page.waitForFunction(
          "() => [...document.querySelectorAll('.says')].every(e =>"
              + " e.textContent.includes('refused'))");
      page.locator(".says").first().click();
      page.locator(".fields:visible button", new Page.LocatorOptions().setHasText("service = "))
          .click();
      assertThat(page.getByLabel("Conditions")).hasValue("service = 'boarding-gates'");
      page.getByLabel("Conditions").fill("level ~ 3");
      assertThat(page.locator("#fault")).containsText("Column");
      page.getByLabel("Conditions").fill("level = 'warn'");
      assertThat(page.locator("#fault")).hasText("");
      page.getByText("Open count on the Bench").click();
      assertThat(page.locator("#legend tbody tr")).hasCount(1);
      var plot = page.locator("#plot").boundingBox();
      page.mouse().click(plot.x + plot.width / 2, plot.y + 40);
      assertThat(page.locator("#around .event").first()).isVisible();
    }
  }

  @Test
  void aDatabaseIsAskedByTheBuilder() {
    try (var sheet = RunningDemo.open("/bench?from=-1d&to=now")) {
      var page = sheet.page();
      page.locator("#add-sql").click();
      page.getByLabel("Table", new Page.GetByLabelOptions().setExact(true))
          .selectOption("BOOKINGS");
      page.getByLabel("Value", new Page.GetByLabelOptions().setExact(true)).selectOption("SEATS");
      page.getByLabel("Group by").selectOption("SITE");
      button(page, "Run").click();
      assertThat(page.locator("#legend tbody tr")).hasCount(3);
      button(page, "Table").click();
      assertThat(page.locator("#table tbody tr")).hasCount(3);
    }
  }

  @Test
  void goToFindsADashboardByItsName() {
    try (var sheet = RunningDemo.open("/watch")) {
      var page = sheet.page();
      page.waitForFunction("() => document.querySelector('#lamp').textContent !== '…'");
      page.keyboard().press("Control+k");
      page.getByRole(AriaRole.TEXTBOX, new Page.GetByRoleOptions().setName("Go to")).fill("servic");
      assertThat(page.locator(".goto li").first()).containsText("Services");
      page.keyboard().press("Enter");
      page.waitForURL("**/dashboards/services**");
    }
  }

  @Test
  void aControlNarrowsAllPanels() {
    try (var sheet = RunningDemo.open("/dashboards/fleet")) {
      var page = sheet.page();
      awaitPanels(page);
      page.getByLabel("Site").selectOption("mid-isles");
      page.waitForURL("**site=mid-isles**");
      page.locator("[data-panel=hosts]").scrollIntoViewIfNeeded();
      assertThat(page.locator("[data-panel=hosts] tbody tr")).hasCount(8);
      assertThat(page.locator("[data-panel=hosts-reporting] .big")).containsText("8");
    }
  }

  @Test
  void theRoutingTableSaysWhoWouldBeTold() {
    try (var sheet = RunningDemo.open("/notify")) {
      var page = sheet.page();
      Locator field = page.getByLabel("Labels");
      field.fill("team=operations, priority=critical");
      field.press("Enter");
      assertThat(page.locator("#routing"))
          .containsText("Notified: On call, Quay operations, Operations room");
    }
  }
}
