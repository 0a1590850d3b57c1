package vintrel.e2e;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;
import static vintrel.e2e.PagesTest.awaitPanels;
import static vintrel.e2e.PagesTest.button;
import static vintrel.e2e.PagesTest.drag;

import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.ExtendWith;

/** Back and forward: every range and every choice is one entry, and the page follows. */
@ExtendWith(RunningDemo.class)
class HistoryTest {
  private static Locator from(Page page) {
    return page.locator(".rail .typed").first();
  }

  private static void preset(Page page, String span) {
    page.locator("[data-span='" + span + "']").click();
    assertThat(from(page)).hasValue("-" + span);
  }

  /** The range's start as it is read, and that the panels are there and answer to it. */
  private static void shows(Page page, String start) {
    assertThat(from(page)).hasValue(start);
    awaitPanels(page);
    assertThat(page.locator(".figure canvas").first()).isVisible();
  }

  @Test
  void aDashboardFollowsRangesTypedTextsAndDrags() {
    try (var sheet = RunningDemo.open("/dashboards/boarding")) {
      var page = sheet.page();
      awaitPanels(page);
      var first = from(page).inputValue();
      preset(page, "6h");
      from(page).fill("-2h");
      from(page).press("Enter");
      assertThat(from(page)).hasValue("-2h");
      var plot = page.locator("[data-panel=scans-by-site] canvas").first().boundingBox();
      drag(
          page,
          plot.x + plot.width / 2,
          plot.y + plot.height / 2,
          plot.x + plot.width / 2 + 60,
          plot.y + plot.height / 2);
      assertThat(from(page)).hasValue(Pattern.compile("20.*"));
      page.goBack();
      shows(page, "-2h");
      page.goBack();
      shows(page, "-6h");
      page.goBack();
      shows(page, first);
      page.goForward();
      shows(page, "-6h");
      // The rail lives on.
      preset(page, "1h");
      shows(page, "-1h");
    }
  }

  @Test
  void choicesAreTakenBack() {
    try (var sheet = RunningDemo.open("/dashboards/boarding?from=-1h&to=now")) {
      var page = sheet.page();
      awaitPanels(page);
      var site = page.locator("select[name=site]");
      site.selectOption("north-quay");
      assertThat(page).hasURL(Pattern.compile(".*site=north-quay.*"));
      // What is opened on the Bench asks for the same site.
      var figure = page.locator("[data-panel=scans-by-site]");
      figure.hover();
      figure.locator("[data-open]").click();
      assertThat(page).hasURL(Pattern.compile(".*/bench.*north-quay.*"));
      assertThat(page.locator(".ledger")).containsText("north-quay");
      page.goBack();
      assertThat(site).hasValue("north-quay");
      page.goBack();
      assertThat(site).hasValue("");
      shows(page, "-1h");
      page.goForward();
      assertThat(site).hasValue("north-quay");
    }
  }

  @Test
  void theBenchKeepsItsRangeAndItsTabsKeepWhatWasAsked() {
    try (var sheet = RunningDemo.open("/bench?q=host.load&from=-1h&to=now")) {
      var page = sheet.page();
      assertThat(page.locator("#plot canvas").first()).isVisible();
      preset(page, "6h");
      page.goBack();
      assertThat(from(page)).hasValue("-1h");
      assertThat(page.locator("#plot canvas").first()).isVisible();
      page.goForward();
      assertThat(from(page)).hasValue("-6h");
      page.locator("a[data-keep=events]").click();
      assertThat(from(page)).hasValue("-6h");
      page.locator("a[data-keep=bench]").click();
      assertThat(page).hasURL(Pattern.compile(".*q=host.load.*"));
      assertThat(from(page)).hasValue("-6h");
    }
  }

  @Test
  void editingSurvivesBack() {
    try (var sheet = RunningDemo.open("/dashboards/vintrel?from=-1h&to=now")) {
      var page = sheet.page();
      awaitPanels(page);
      button(page, "Edit").first().click();
      assertThat(button(page, "Save")).isVisible();
      preset(page, "6h");
      page.goBack();
      assertThat(from(page)).hasValue("-1h");
      assertThat(button(page, "Save")).isVisible();
      assertThat(page.locator(".grid-stack-item, [gs-id]").first()).isVisible();
    }
  }
}
