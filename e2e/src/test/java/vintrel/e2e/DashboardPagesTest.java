package vintrel.e2e;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;
import static vintrel.e2e.PagesTest.awaitPanels;
import static vintrel.e2e.PagesTest.button;
import static vintrel.e2e.PagesTest.drag;

import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.options.AriaRole;
import java.io.IOException;
import java.nio.file.Files;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.List;
import java.util.regex.Pattern;
import javax.imageio.ImageIO;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.ExtendWith;

/** Dashboards as people make and change them: the list, the page, the sheet of a panel. */
@ExtendWith(RunningDemo.class)
class DashboardPagesTest {
  @Test
  void panelsAreArrangedByKeyboardAndSaved() {
    try (var sheet = RunningDemo.open("/dashboards/services")) {
      var page = sheet.page();
      var panel = page.locator("[data-panel=manifest-database-sessions]");
      assertThat(panel).hasAttribute("data-at", "7,15,6,7");
      page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Edit").setExact(true))
          .first()
          .click();
      page.locator("[gs-id=manifest-database-sessions]").focus();
      page.keyboard().press("ArrowDown");
      page.keyboard().press("Shift+ArrowLeft");
      button(page, "Save").click();
      assertThat(panel).hasAttribute("data-at", "7,16,5,7");
      awaitPanels(page);
    }
  }

  private static Locator item(Page page, String id) {
    return page.locator("[gs-id=" + id + "]");
  }

  @Test
  void twoWhoEditOneDashboardLoseNothingWhenTheyMerge() {
    try (var mine = RunningDemo.open("/dashboards/insight");
        var theirs = RunningDemo.open("/dashboards/insight")) {
      var a = mine.page();
      var b = theirs.page();
      var first = a.locator(".figure").nth(0).getAttribute("data-panel");
      var second = a.locator(".figure").nth(1).getAttribute("data-panel");
      var third = a.locator(".figure").nth(2).getAttribute("data-panel");
      for (var page : List.of(a, b)) {
        button(page, "Edit").first().click();
        assertThat(item(page, third)).isVisible();
      }
      // They change the first and the second and add one; I change the third and delete the second.
      for (var id : List.of(first, second)) {
        item(b, id).focus();
        b.keyboard().press("Shift+ArrowDown");
      }
      b.keyboard().press("n");
      b.getByRole(AriaRole.MENUITEM).filter(named("Write a query")).click();
      var form = b.locator(".panel-sheet");
      b.locator(".ps-title").fill("Theirs");
      assertThat(form).containsText("Nothing to draw yet");
      write(b, form, "host.load");
      assertThat(form.locator(".ps-frame .legend")).containsText("nq-app-1");
      button(b, "Save").click();
      assertThat(b.locator("[data-panel=new-panel] h2")).hasText("Theirs");
      item(a, third).focus();
      a.keyboard().press("Shift+ArrowDown");
      item(a, second).focus();
      a.keyboard().press("Delete");
      button(a, "Save").click();
      assertThat(a.locator(".edit-fault")).containsText("saved a newer version");
      button(a, "Merge").click();
      assertThat(a.locator(".edit-fault")).containsText("it is restored");
      assertThat(item(a, "new-panel")).isVisible();
      button(a, "Save").click();
      assertThat(a.locator("[data-panel=new-panel] h2")).hasText("Theirs");
      assertThat(a.locator("[data-panel=" + second + "]")).isVisible();
      var places = b.locator("[data-panel=" + first + "]").getAttribute("data-at");
      assertThat(a.locator("[data-panel=" + first + "]")).hasAttribute("data-at", places);
    }
  }

  @Test
  void aPanelIsMovedByTheMouseAndItsPlaceIsOneStepToUndo() {
    try (var sheet = RunningDemo.open("/dashboards/vintrel")) {
      var page = sheet.page();
      var id = page.locator(".figure").nth(0).getAttribute("data-panel");
      button(page, "Edit").first().click();
      var header = item(page, id).locator("h2");
      assertThat(header).isVisible();
      var before = item(page, id).boundingBox();
      var at = header.boundingBox();
      drag(page, at.x + 8, at.y + 8, at.x + before.width + 40, at.y + 8);
      var undo = page.locator("button", new Page.LocatorOptions().setHasText("Undo move"));
      assertThat(undo).isVisible();
      org.assertj.core.api.Assertions.assertThat(item(page, id).boundingBox().x)
          .isGreaterThan(before.x + 50);
      undo.click();
      page.waitForCondition(() -> Math.abs(item(page, id).boundingBox().x - before.x) < 2);
      assertThat(button(page, "Save")).isDisabled();
    }
  }

  @Test
  void aFreePlaceTakesAPanelOfTheSizeThatIsDraggedOverIt() {
    try (var sheet = RunningDemo.open("/dashboards/vintrel")) {
      var page = sheet.page();
      var id = page.locator(".figure").nth(0).getAttribute("data-panel");
      button(page, "Edit").first().click();
      item(page, id).focus();
      page.keyboard().press("Delete");
      var place = page.locator(".free-place button").first();
      assertThat(place).hasAttribute("aria-label", Pattern.compile("Panel here: row 1, .*"));
      var box = place.boundingBox();
      double column = page.locator(".arranging").boundingBox().width / 12;
      drag(page, box.x + 8, box.y + 8, box.x + 1.5 * column, box.y + 8 + 2 * 30);
      page.getByRole(AriaRole.MENUITEM).filter(named("Note")).click();
      var made = item(page, "note");
      assertThat(made).hasAttribute("gs-w", "2");
      assertThat(made).not().hasAttribute("gs-y", Pattern.compile("[1-9].*"));
      org.assertj.core.api.Assertions.assertThat(Integer.parseInt(made.getAttribute("gs-h")))
          .isBetween(2, 4);
    }
  }

  /** As a person types; setting a field's text makes the browser add styles of its own. */
  private static void write(Page page, Locator form, String lines) {
    button(page, "Text").click();
    form.locator(".cm-content").click();
    page.keyboard().press("Control+A");
    page.keyboard().type(lines);
  }

  @Test
  void aDashboardIsMadeInTheBrowserAndComesBackAfterItWasDeleted() {
    try (var sheet = RunningDemo.open("/dashboards")) {
      var page = sheet.page();
      page.locator("summary", new Page.LocatorOptions().setHasText("+ Dashboard")).click();
      page.getByLabel("Title of the dashboard to make").fill("Quay watch");
      button(page, "Create dashboard").click();
      button(page, "+ Panel").click();
      page.getByRole(AriaRole.MENUITEM).filter(named("Write a query")).click();
      var form = page.locator(".panel-sheet");
      page.locator(".ps-title").fill("Busiest hosts");
      button(page, "+ Line").click();
      page.locator(".pick input").fill("host.cpu.busy");
      page.locator(".pick input").press("Enter");
      assertThat(form.locator(".ps-frame canvas")).isVisible();
      assertThat(form.locator("[data-kind=ranking]")).containsText("+ 3 steps");
      // A kind that does not fit leads to Fit; the first proposal is taken by its number.
      form.locator("[data-kind=ranking]").click();
      assertThat(form.locator(".fit-card")).hasCount(3);
      assertThat(form.locator(".fit-card svg.ranking").first()).isVisible();
      page.keyboard().press("1");
      assertThat(form.locator(".step")).hasCount(3);
      var names = form.locator(".ps-frame svg.ranking text.name");
      assertThat(names).hasCount(15);
      // One step is switched off and on by the keyboard, one setting is typed in place.
      form.locator(".step").nth(2).focus();
      page.keyboard().press("Space");
      assertThat(form.locator(".step.off")).hasCount(1);
      page.keyboard().press("Space");
      assertThat(form.locator(".step.off")).hasCount(0);
      form.locator("[data-name=most] .value").click();
      page.keyboard().type("4");
      page.keyboard().press("Enter");
      assertThat(names).hasCount(4);
      assertThat(form.locator("[data-name=most] .value.changed")).hasText("4");
      // What can't be read is said in the ledger, and the picture stays.
      write(page, form, "host.cpu.busy then maxx");
      assertThat(form.locator(".ps-fault")).containsText("no step named `maxx`");
      assertThat(names).hasCount(4);
      page.locator(".ps-title").focus();
      page.locator("button", new Page.LocatorOptions().setHasText("Undo lines")).click();
      assertThat(form.locator(".ps-fault")).isEmpty();
      page.locator(".ps-crumb button").click();
      var item = page.locator(".grid-stack-item");
      assertThat(item.locator("svg.ranking text.name")).hasCount(4);
      item.getByRole(AriaRole.BUTTON, new Locator.GetByRoleOptions().setName("Copy")).click();
      assertThat(item).hasCount(2);
      page.locator("button", new Page.LocatorOptions().setHasText("Undo copy")).click();
      assertThat(item).hasCount(1);
      button(page, "Save").click();
      assertThat(page.locator("[data-kind=ranking] svg text.name")).hasCount(4);
      page.navigate(RunningDemo.base() + "/dashboards");
      page.getByLabel("Star Quay watch").click();
      assertThat(page.locator(".dashboard-list li").first()).containsText("Quay watch");
      page.locator(".dashboard-card summary", new Page.LocatorOptions().setHasText("More")).click();
      page.locator(".dashboard-card").getByText("Delete").click();
      assertThat(page.locator(".dashboard-list")).not().containsText("Quay watch");
      button(page, "Undo").click();
      page.waitForURL("**/dashboards/quay-watch**");
      assertThat(page.locator("[data-kind=ranking] svg text.name")).hasCount(4);
      org.assertj.core.api.Assertions.assertThat(sheet.complaints()).isEmpty();
    }
  }

  private static Locator.FilterOptions named(String words) {
    return new Locator.FilterOptions().setHasText(words);
  }

  @Test
  void aSectionFoldsWithItsPanelsAndStaysFolded() {
    try (var sheet = RunningDemo.open("/dashboards/panel-kinds?from=-1h&to=now")) {
      var page = sheet.page();
      awaitPanels(page);
      var heads = page.locator(".section-head");
      assertThat(heads).hasCount(3);
      assertThat(heads.first()).containsText("mid-isles");
      var below = heads.nth(1);
      double before = below.boundingBox().y;
      heads.first().locator("button").click();
      assertThat(heads.first().locator("button")).hasAttribute("aria-expanded", "false");
      assertThat(heads.first()).containsText("3 panels");
      var inside = page.locator("[data-panel=bookings-now]").first();
      assertThat(inside).isHidden();
      page.waitForCondition(() -> below.boundingBox().y < before - 200);
      page.reload();
      assertThat(page.locator("[data-panel=bookings-now]").first()).isHidden();
      // What is folded does not ask, wherever the page is scrolled; unfolded, it does.
      page.locator("[data-panel=bookings-now]").nth(1).scrollIntoViewIfNeeded();
      assertThat(page.locator("[data-panel=bookings-now][data-done]").first()).isVisible();
      var folded = page.locator("[data-panel=bookings-now]").first();
      org.assertj.core.api.Assertions.assertThat(folded.getAttribute("data-done")).isNull();
      heads.first().locator("button").click();
      assertThat(folded).hasAttribute("data-done", java.util.regex.Pattern.compile("[0-9]+"));
      heads.first().locator("button").click();
      assertThat(page.locator("[data-panel=bookings-now]").nth(1)).isAttached();
      org.assertj.core.api.Assertions.assertThat(sheet.complaints()).isEmpty();
    }
  }

  @Test
  void aLimitIsDraggedFedByALineAndKeptWhileItsLineIsNeeded() {
    try (var sheet =
        RunningDemo.open(
            "/dashboards/panel-kinds?from=-6h&to=now&edit=worst-gate-limit-from-the-day-before")) {
      var page = sheet.page();
      var form = page.locator(".panel-sheet");
      assertThat(form.locator(".ps-frame .limit-label")).containsText("above ceiling, ");
      assertThat(form.locator(".line-head").filter(named("used by"))).containsText("Limits, high");
      var value = form.locator(".limit .value");
      assertThat(value).containsText("= ceiling");
      value.click();
      var from = page.locator(".feed-float");
      assertThat(from.locator(".feed-gives strong")).containsText("%");
      assertThat(from.getByLabel("Line").first()).isVisible();
      // A number in its place, and the line is free to go.
      from.getByLabel("A number").click();
      assertThat(value).hasText("10");
      page.keyboard().press("Escape");
      assertThat(from).hasCount(0);
      assertThat(form.locator(".ps-frame .limit-label")).hasText("above 10 %");
      // Its line in the picture is dragged down.
      var plot = form.locator(".ps-frame .plot").boundingBox();
      double x = plot.x + plot.width / 2;
      double y = plot.y;
      do {
        y += 2;
        page.mouse().move(x, y);
      } while (y < plot.y + plot.height && form.locator(".body.on-limit").count() == 0);
      drag(page, x, y + 2, x, y + 40);
      page.waitForCondition(() -> !value.innerText().equals("10"));
      org.assertj.core.api.Assertions.assertThat(Double.parseDouble(value.innerText()))
          .isBetween(0.5, 9.9);
      page.locator("button", new Page.LocatorOptions().setHasText("Undo limit")).click();
      assertThat(value).hasText("10");
      page.locator("button", new Page.LocatorOptions().setHasText("Undo limits")).click();
      assertThat(value).containsText("= ceiling");
      // A sign typed in the place of a number means a line; what is no number changes nothing.
      form.locator(".setting[data-name=to] .label").click();
      page.keyboard().type("=");
      assertThat(from.getByLabel("A line")).isChecked();
      page.keyboard().press("Escape");
      assertThat(form.locator(".setting[data-name=to]")).containsText("= ceiling");
      form.locator("button", new Locator.LocatorOptions().setHasText("+ Limit")).click();
      assertThat(form.locator(".limit .value").last()).not().hasText("0");
      form.getByLabel("Remove line: ceiling").click();
      assertThat(form.locator(".ps-fault")).containsText("ceiling is used by Limits, high");
      // It stays there over answers, and goes with the next change.
      var summary = form.locator(".ps-summary");
      var before = summary.innerText();
      page.locator("[data-span='15m']").click();
      assertThat(summary).not().hasText(before);
      assertThat(form.locator(".ps-fault")).containsText("ceiling is used by Limits, high");
      page.keyboard().press("Control+z");
      assertThat(form.locator(".ps-fault")).hasText("");
      org.assertj.core.api.Assertions.assertThat(sheet.complaints()).isEmpty();
    }
  }

  @Test
  void allKindsAreShownWithTheOwnDataAndTakenByTheKeyboard() {
    try (var sheet = RunningDemo.open("/dashboards/boarding?edit=scans-by-site")) {
      var page = sheet.page();
      var form = page.locator(".panel-sheet");
      assertThat(form.locator(".ps-frame canvas")).isVisible();
      page.keyboard().press("k");
      var all = page.locator(".all-kinds");
      assertThat(all).containsText("Over time");
      assertThat(all.locator(".kind-tile[aria-pressed=true]")).isFocused();
      assertThat(all.locator("[data-kind=number]")).containsText("add ");
      page.keyboard().press("Escape");
      assertThat(all).hasCount(0);
      page.keyboard().press("k");
      assertThat(all.locator(".kind-tile[aria-pressed=true]")).isFocused();
      page.keyboard().press("ArrowDown");
      page.keyboard().press("ArrowDown");
      assertThat(all.locator("[data-kind=table]")).isFocused();
      page.keyboard().press("Enter");
      assertThat(form.locator(".ps-frame table")).isVisible();
      page.keyboard().press("Control+z");
      assertThat(form.locator(".ps-frame canvas")).isVisible();
      org.assertj.core.api.Assertions.assertThat(sheet.complaints()).isEmpty();
    }
  }

  @Test
  void dashboardsAreChosenMarkedAndMovedByTheKeyboard() {
    try (var sheet = RunningDemo.open("/dashboards?sort=name")) {
      var page = sheet.page();
      var rows = page.locator(".dashboard-list li");
      assertThat(rows.first()).hasAttribute("aria-current", "true");
      page.keyboard().press("j");
      var second = rows.nth(1).getAttribute("data-name");
      assertThat(page.locator(".dashboard-card")).hasAttribute("data-card", second);
      page.keyboard().press("Space");
      page.keyboard().press("j");
      page.keyboard().press("Space");
      assertThat(page.locator("[data-marked]")).hasText("2 marked");
      var folder = rows.nth(1).locator(".what .note").innerText();
      page.keyboard().press("m");
      page.keyboard().type("Moved");
      page.keyboard().press("Enter");
      assertThat(page.locator(".done")).containsText("2 dashboards moved");
      page.getByRole(AriaRole.LINK).filter(named("Moved")).first().click();
      assertThat(page.locator(".dashboard-list li")).hasCount(2);
      org.assertj.core.api.Assertions.assertThat(folder).isNotEqualTo("Moved");
      page.keyboard().press("Enter");
      page.waitForURL("**/dashboards/*");
      org.assertj.core.api.Assertions.assertThat(sheet.complaints()).isEmpty();
    }
  }

  /** Titles of the sections from top to bottom. */
  private static List<String> sections(Page page) {
    var fields = new ArrayList<>(page.locator(".section-title").all());
    fields.sort(Comparator.comparingDouble(f -> f.boundingBox().y));
    return fields.stream().map(Locator::inputValue).toList();
  }

  @Test
  void aSectionIsDraggedPastAnotherAndADragIsGivenUp() {
    try (var sheet = RunningDemo.open("/dashboards/panel-kinds?edit=1")) {
      var page = sheet.page();
      for (var name : List.of("Middle", "Last")) {
        page.getByText("+ Section").click();
        page.locator(".section-title").last().fill(name);
      }
      var titles = page.locator(".section-title");
      var before = sections(page);
      var first = before.getFirst();
      var grip = page.locator(".section-edit .grip").last();
      var line = page.locator(".section-line");
      // Both lie in view, above the rail.
      page.evaluate("scrollTo(0, document.body.scrollHeight)");
      grip.hover();
      page.mouse().down();
      var to = titles.nth(before.size() - 2).boundingBox();
      page.mouse().move(to.x + 40, to.y + 2);
      assertThat(line).hasCount(1);
      page.mouse().up();
      assertThat(line).hasCount(0);
      page.waitForCondition(() -> sections(page).equals(List.of(first, "Last", "Middle")));
      page.locator("button", new Page.LocatorOptions().setHasText("Undo move Last")).click();
      page.waitForCondition(() -> sections(page).equals(before));
      page.evaluate("scrollTo(0, document.body.scrollHeight)");
      grip.hover();
      page.mouse().down();
      titles.nth(before.size() - 2).hover();
      assertThat(line).hasCount(1);
      page.keyboard().press("Escape");
      page.mouse().up();
      assertThat(line).hasCount(0);
      org.assertj.core.api.Assertions.assertThat(sections(page)).isEqualTo(before);
      org.assertj.core.api.Assertions.assertThat(sheet.complaints()).isEmpty();
    }
  }

  @Test
  void aPanelIsCopiedToTheClipboardAndPastedOnAnotherDashboard() {
    try (var sheet = RunningDemo.open("/dashboards/boarding")) {
      var page = sheet.page();
      sheet.context().grantPermissions(List.of("clipboard-read", "clipboard-write"));
      awaitPanels(page);
      var figure = page.locator("[data-panel='scans-by-site']");
      figure.hover();
      figure.locator("[data-copy]").click();
      assertThat(figure.locator("[data-copy]")).hasText("Copied");
      sheet.go("/dashboards/services?edit=1");
      var items = page.locator(".grid-stack-item:not(.section-item)");
      assertThat(items.first()).isVisible();
      int before = items.count();
      page.keyboard().press("n");
      page.getByText("Paste a panel").click();
      assertThat(page.locator(".ps-title")).hasValue("Scans by site");
      page.keyboard().press("Escape");
      assertThat(items).hasCount(before + 1);
      page.evaluate("navigator.clipboard.writeText('a shopping list')");
      page.keyboard().press("n");
      page.getByText("Paste a panel").click();
      assertThat(page.locator(".edit-fault")).containsText("The clipboard has no panel");
      assertThat(items).hasCount(before + 1);
    }
  }

  @Test
  void aPanelIsSavedAsPixelsAndAsLines() throws IOException {
    try (var sheet = RunningDemo.open("/dashboards/boarding")) {
      var page = sheet.page();
      awaitPanels(page);
      var figure = page.locator("[data-panel='scans-by-site']");
      figure.hover();
      var png = page.waitForDownload(() -> figure.locator("[data-png]").click());
      var pixels = ImageIO.read(png.path().toFile());
      var box = figure.boundingBox();
      // Twice as fine as the screen, and not one colour alone.
      org.assertj.core.api.Assertions.assertThat(pixels.getWidth())
          .isBetween((int) box.width, (int) (2 * box.width) + 2);
      var colours = new HashSet<Integer>();
      for (int x = 0; x < pixels.getWidth(); x++) {
        for (int y = 0; y < pixels.getHeight(); y++) {
          colours.add(pixels.getRGB(x, y));
        }
      }
      org.assertj.core.api.Assertions.assertThat(colours).hasSizeGreaterThan(20);
      var svg = page.waitForDownload(() -> figure.locator("[data-svg]").click());
      org.assertj.core.api.Assertions.assertThat(svg.suggestedFilename())
          .isEqualTo("scans-by-site.svg");
      org.assertj.core.api.Assertions.assertThat(Files.readString(svg.path()))
          .contains("<svg", "<path", "Scans by site", "north-quay")
          .doesNotContain("<script");
    }
  }
}
