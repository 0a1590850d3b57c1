package vintrel.e2e;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;

import com.microsoft.playwright.Mouse;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.ExtendWith;

/** The sheet of a rule and the alarm list, as a person on duty goes through them. */
@ExtendWith(RunningDemo.class)
class WatchPagesTest {
  private static final Pattern RAISED =
      Pattern.compile("raised \\d+ times|raised once|raised twice");

  @Test
  void aLimitIsDraggedAndTheRehearsalFollows() {
    try (var sheet = RunningDemo.open("/watch/rules/queue-long?from=-1d&to=now")) {
      var page = sheet.page();
      var tab = page.locator(".limit-tab");
      assertThat(tab).containsText("above");
      var value = page.locator("[data-key='limits[0].value']");
      assertThat(value).hasValue("120");
      var box = tab.boundingBox();
      page.mouse().move(box.x + 20, box.y + 12);
      page.mouse().down();
      page.mouse().move(box.x + 20, box.y + 190, new Mouse.MoveOptions().setSteps(8));
      page.mouse().up();
      assertThat(value).not().hasValue("120");
      assertThat(page.locator(".sentence")).containsText(RAISED);
      assertThat(page.locator(".unsaved")).hasText("1 unsaved change");
      assertThat(page.locator(".as-saved")).isVisible();
      // What waiting would spare is drawn; a point of it is taken.
      page.locator(".trade .point").last().click();
      assertThat(page.locator("[data-place='limits[0].on-delay']")).hasValue("20 min");
      assertThat(page.locator(".unsaved")).hasText("2 unsaved changes");
      tab.focus();
      page.keyboard().press("ArrowUp");
      page.keyboard().press("ArrowUp");
      assertThat(page.locator(".unsaved")).hasText("3 unsaved changes");
      for (int i = 0; i < 3; i++) {
        page.keyboard().press("Control+z");
      }
      assertThat(value).hasValue("120");
      assertThat(page.locator(".unsaved")).hasText("");
    }
  }

  @Test
  void aConditionIsExchangedAndMessagesAreEdited() {
    try (var sheet = RunningDemo.open("/watch/rules/queue-long?from=-6h&to=now")) {
      var page = sheet.page();
      var condition = page.locator("[data-key='limits[0].condition-choice']");
      condition.selectOption("outside");
      assertThat(page.locator(".limit-tab")).hasCount(2);
      condition.selectOption("stale");
      assertThat(page.locator("[data-key='limits[0].stale']")).hasValue("5 min");
      assertThat(page.locator(".limit-tab")).hasCount(0);
      page.getByText("Edit the templates").click();
      var summary = page.getByLabel("Summary, one sentence").last();
      summary.fill("{{labels.s");
      page.locator(".template-offers .chip").first().click();
      assertThat(summary).hasValue("{{labels.site}}");
    }
  }

  @Test
  void theListOfRulesIsSearchedAndARulePausedAndDeletedWithUndo() {
    try (var sheet = RunningDemo.open("/watch/rules?from=-1d&to=now")) {
      var page = sheet.page();
      page.getByLabel("Search rules").fill("ticket queue");
      var rows = page.locator(".rule-row:visible");
      assertThat(rows).hasCount(1);
      rows.locator("summary").click();
      rows.getByText("Pause").click();
      assertThat(page.locator(".done")).containsText("Paused");
      var row = page.locator(".rule-row").filter(text("Ticket queue is long"));
      assertThat(row).containsText("Paused");
      page.locator(".done button").click();
      page.waitForURL("**done=restored**");
      page.navigate(RunningDemo.base() + "/watch/rules?from=-1d&to=now");
      assertThat(row).not().containsText("Paused");
      row.locator("summary").click();
      row.getByText("Delete").click();
      assertThat(page.locator(".done")).containsText("Deleted");
      assertThat(row).hasCount(0);
      page.locator(".done button").click();
      page.waitForURL("**done=restored**");
      page.navigate(RunningDemo.base() + "/watch/rules?from=-1d&to=now");
      assertThat(row).hasCount(1);
    }
  }

  @Test
  void theAlarmListIsNarrowedAndItsAddressKeepsWhatIsShown() {
    try (var sheet = RunningDemo.open("/watch?from=-6h&to=now")) {
      var page = sheet.page();
      page.keyboard().press("/");
      page.keyboard().type("priority = 'critical' and site = 'nowhere'");
      page.keyboard().press("Enter");
      page.waitForURL("**filter=**");
      // Neither as rows nor as some that cleared.
      assertThat(page.locator(".alarm")).hasCount(0);
      page.getByLabel("Group by").selectOption("none");
      page.waitForURL("**group=none**");
      page.reload();
      assertThat(page.getByLabel("Filter alerts by conditions"))
          .hasValue("priority = 'critical' and site = 'nowhere'");
      assertThat(page.getByLabel("Group by")).hasValue("none");
      page.getByLabel("Filter alerts by conditions").fill("site = ");
      page.keyboard().press("Enter");
      assertThat(page.locator("#alarms .fault")).isVisible();
    }
  }

  private static com.microsoft.playwright.Locator.FilterOptions text(String text) {
    return new com.microsoft.playwright.Locator.FilterOptions().setHasText(text);
  }
}
