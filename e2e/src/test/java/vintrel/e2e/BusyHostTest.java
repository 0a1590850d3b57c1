package vintrel.e2e;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;

import com.microsoft.playwright.Locator;
import com.microsoft.playwright.assertions.LocatorAssertions;
import com.microsoft.playwright.options.AriaRole;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.ExtendWith;
import org.junit.jupiter.api.parallel.Execution;
import org.junit.jupiter.api.parallel.ExecutionMode;

/**
 * The whole job, once: a host becomes busy, people are told; it calms down, they are told again.
 * Most of it is waiting, beside the other classes.
 */
@ExtendWith(RunningDemo.class)
@Execution(ExecutionMode.CONCURRENT)
class BusyHostTest {
  private static final LocatorAssertions.IsVisibleOptions PATIENT =
      new LocatorAssertions.IsVisibleOptions().setTimeout(90_000);

  @Test
  void theMakeItBusyButtonDrivesARealAlertFromMetricToMailAndBack() {
    try (var controller = RunningDemo.open("/watch");
        var watch = RunningDemo.open("/watch");
        var inbox = RunningDemo.open("/watch")) {
      inbox.page().navigate(RunningDemo.standIns() + "/inbox");
      Locator mails = inbox.page().locator("article header b");
      assertThat(mails.filter(text("registered: CPU busy")).first()).isVisible(PATIENT);

      press(controller, "Load it");
      watch.go("/watch");
      Locator alarm =
          watch
              .page()
              .locator(
                  ".alarm",
                  new com.microsoft.playwright.Page.LocatorOptions().setHasText("nq-app-1"));
      assertThat(alarm.filter(text("Building")).first()).isVisible(PATIENT);
      assertThat(alarm.filter(text("Raised")).first()).isVisible(PATIENT);
      assertThat(mails.filter(text("raised (high): CPU busy, host nq-app-1")).first())
          .isVisible(PATIENT);

      alarm.first().focus();
      watch.page().keyboard().press("x");
      assertThat(watch.page().locator("[data-selected]")).hasText("1 selected");
      watch.page().getByLabel("Note for all selected alerts").fill("load test");
      watch.page().locator(".alarm-bar [data-acknowledge]").click();
      assertThat(alarm.filter(text("Acknowledged")).first()).isVisible(PATIENT);
      alarm.locator("a.what").click();
      assertThat(
              watch
                  .page()
                  .locator(".alert-story li")
                  .filter(text("acknowledged by demo: load test"))
                  .first())
          .isVisible(PATIENT);

      watch.go("/dashboards/fleet?from=-15m&to=now");
      assertThat(watch.page().locator("[data-panel=cpu-of-nq-app-1] .reading"))
          .hasText(
              java.util.regex.Pattern.compile("^9\\d"),
              new LocatorAssertions.HasTextOptions().setTimeout(120_000));
      watch.page().goBack();
      org.assertj.core.api.Assertions.assertThat(
              inbox
                  .page()
                  .locator("article")
                  .filter(text("raised (high): CPU busy, host nq-app-1"))
                  .first()
                  .locator("pre")
                  .textContent())
          .contains("Open:      " + RunningDemo.base() + "/watch/rules/host-cpu");
      press(controller, "Stop the load");
      assertThat(mails.filter(text("cleared (high): CPU busy, host nq-app-1")).first())
          .isVisible(PATIENT);
      watch.page().reload();
      assertThat(watch.page().locator(".alert-story li").filter(text("Cleared")).first())
          .isVisible();

      inbox.page().navigate(RunningDemo.standIns() + "/chat");
      assertThat(
              inbox
                  .page()
                  .locator("article")
                  .filter(text("raised (high): CPU busy, host nq-app-1"))
                  .first())
          .isVisible();
    }
  }

  private static void press(RunningDemo.Sheet controller, String button) {
    var page = controller.page();
    page.navigate(RunningDemo.standIns() + "/fleet");
    page.locator("tr", new com.microsoft.playwright.Page.LocatorOptions().setHasText("nq-app-1"))
        .getByRole(AriaRole.BUTTON, new Locator.GetByRoleOptions().setName(button))
        .click();
  }

  private static Locator.FilterOptions text(String s) {
    return new Locator.FilterOptions().setHasText(s);
  }
}
