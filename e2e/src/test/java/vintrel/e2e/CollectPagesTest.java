package vintrel.e2e;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;
import static org.assertj.core.api.Assertions.assertThat;
import static vintrel.e2e.PagesTest.button;

import com.microsoft.playwright.Page;
import com.microsoft.playwright.assertions.LocatorAssertions;
import com.microsoft.playwright.options.AriaRole;
import java.io.IOException;
import java.nio.file.Files;
import java.util.concurrent.TimeUnit;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.ExtendWith;

/** Collect, as a person walks it: a source is connected, jobs and checks are tried and made. */
@ExtendWith(RunningDemo.class)
class CollectPagesTest {
  private static void shell(String script) throws IOException, InterruptedException {
    var process = new ProcessBuilder("bash", "-c", "set -eu\n" + script);
    process.environment().remove("VINTREL_TOKEN");
    var running = process.redirectErrorStream(true).start();
    var out = new String(running.getInputStream().readAllBytes());
    assertThat(running.waitFor(30, TimeUnit.SECONDS)).isTrue();
    assertThat(running.exitValue()).as(out).isZero();
  }

  /** From the name to the chart: what is copied is run as it was copied. */
  @Test
  void aSourceIsConnectedByWhatThePageGivesToCopy() throws Exception {
    try (var sheet = RunningDemo.open("/collect/connect")) {
      var page = sheet.page();
      sheet.context().grantPermissions(java.util.List.of("clipboard-read", "clipboard-write"));
      page.getByLabel("Source", new Page.GetByLabelOptions().setExact(true)).fill("tide gauge");
      page.getByLabel("Adds labels").fill("site");
      button(page, "plain samples").click();
      assertThat(page.locator("#send-otlp")).isHidden();
      button(page, "Create token").click();
      assertThat(page.locator("#c-fault")).containsText("`site` is not a label");
      assertThat(page.locator("#send-lines")).isVisible();
      page.getByLabel("Adds labels").fill("site=north-quay");
      button(page, "Create token").click();
      assertThat(page.locator(".added")).hasText("site = north-quay");
      assertThat(page.locator("#arrival")).containsText("Waiting for the first sample");
      button(page, "CSV").click();
      page.locator("[data-copy='#send-csv']").click();
      assertThat(page.locator("[data-copy='#send-csv']")).hasText("Copied");
      var copied = (String) page.evaluate("() => navigator.clipboard.readText()");
      assertThat(copied).contains("text/csv").doesNotContain("…");
      shell(copied.replaceFirst("vt_[A-Za-z0-9_-]+", "vt_wrong"));
      assertThat(page.locator("#arrival")).containsText("401");
      shell(copied);
      assertThat(page.locator("#arrival")).containsText("It arrives");
      assertThat(page.locator("#arrival")).containsText("Labels: berth; added by the token: site");
      page.getByText("Open on the Bench").click();
      page.waitForURL("**/bench**");
      assertThat(page.locator("#legend tbody tr")).hasCount(2);
      assertThat(page.locator("#legend")).containsText("N2");
    }
  }

  @Test
  void aJobIsTriedMadePausedAndUndone() {
    try (var sheet = RunningDemo.open("/collect/jobs/edit")) {
      var page = sheet.page();
      page.getByLabel("Name", new Page.GetByLabelOptions().setExact(true)).fill("quay-pages");
      page.getByLabel("Targets").fill(RunningDemo.standIns() + "/fleet");
      button(page, "Try it").click();
      assertThat(page.locator("#preview")).containsText("web page, not metrics");
      page.getByLabel("Targets").fill(RunningDemo.standIns() + "/targets/north-quay");
      page.getByLabel("Relabelling").fill("drop where metric like 'scanner_temp%'");
      button(page, "Try it").click();
      assertThat(page.locator("#preview")).containsText("8 series, 0 changed, 4 dropped");
      button(page, "Save").click();
      assertThat(page.locator(".done")).containsText("Saved quay-pages");
      button(page, "Pause").click();
      assertThat(page.locator(".sentence")).hasText("Paused. Nothing is scraped.");
      button(page, "Undo").click();
      assertThat(page.locator(".done")).containsText("Restored quay-pages");
      button(page, "Delete").click();
      assertThat(page.locator(".done")).containsText("Deleted quay-pages");
    }
  }

  @Test
  void connectionsAreTestedStepByStep() {
    try (var sheet = RunningDemo.open("/collect/elsewhere")) {
      var page = sheet.page();
      button(page, "Test connection").first().click();
      assertThat(page.locator("#connection-test li"))
          .hasText(
              new Pattern[] {
                Pattern.compile("Name.*"),
                Pattern.compile("Connection.*"),
                Pattern.compile("Sign-in.*reader"),
                Pattern.compile("Query.*ms"),
                Pattern.compile("Clock.*within.*")
              });
      page.navigate(RunningDemo.base() + "/notify");
      page.locator("[hx-target='next .tested']").first().click();
      assertThat(page.locator(".tested li").first()).containsText("Name");
    }
  }

  @Test
  void theSampleApplicationOfTheDemoArrivesWithItsTextsAndUnits() {
    try (var sheet =
        RunningDemo.open("/bench?q=voyage.plans then rate every 1m&from=-15m&to=now")) {
      var page = sheet.page();
      assertThat(page.locator("#legend tbody tr").first())
          .isVisible(new LocatorAssertions.IsVisibleOptions().setTimeout(60_000));
      page.navigate(RunningDemo.base() + "/bench/catalogue?search=voyage.duration");
      assertThat(page.content()).contains("Time that a plan takes");
    }
  }

  @Test
  void aCheckIsTriedBeforeItIsSaved() {
    try (var sheet = RunningDemo.open("/collect/checks/edit?kind=http")) {
      var page = sheet.page();
      page.getByLabel("Address").fill(RunningDemo.standIns() + "/site/booking");
      page.getByLabel("Body contains").fill("Fares");
      button(page, "Try it").click();
      assertThat(page.locator("#trial")).containsText("Fails: does not contain “Fares”");
      page.getByLabel("Body contains").fill("Sailings");
      button(page, "Try it").click();
      assertThat(page.locator("#trial")).containsText("Passes: HTTP 200, contains “Sailings”");
      button(page, "Save").click();
      assertThat(page.locator(".sheet-form .fault").first()).hasText("is missing");
    }
  }

  @Test
  void aStoreIsMadeAndAFileOfSamplesIsImportedIntoIt() throws IOException {
    try (var sheet = RunningDemo.open("/collect/stores")) {
      var page = sheet.page();
      page.getByLabel("New store").fill("lab");
      page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Add").setExact(true))
          .click();
      assertThat(page.getByLabel("lab: days of raw samples")).hasValue("30");
      page.getByLabel("lab: days of raw samples").fill("1");
      page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Save")).first().click();
      assertThat(page.getByRole(AriaRole.ALERT)).containsText("at least 2 d");
      var file = Files.createTempFile("samples", ".csv");
      long now = System.currentTimeMillis();
      var csv = new StringBuilder("metric,time,value,host\n");
      for (int i = 0; i < 1000; i++) {
        csv.append("lab.rate,%d,%d,a\n".formatted(now - 1_000_000 + i * 1000L, i));
      }
      Files.writeString(file, csv);
      page.navigate(page.url().replaceFirst("/collect.*", "/collect/import"));
      page.getByLabel("File").setInputFiles(file);
      page.getByLabel("Store").selectOption("lab");
      page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Import")).click();
      assertThat(page.locator("#job")).containsText("1,000 samples imported");
      assertThat(page.locator("#job")).containsText("Imported.");
    }
  }
}
