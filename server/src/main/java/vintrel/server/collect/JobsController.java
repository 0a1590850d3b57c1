package vintrel.server.collect;

import jakarta.servlet.http.HttpServletRequest;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.NoSuchElementException;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.ModelAttribute;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import vintrel.core.collect.ConnectionSteps;
import vintrel.core.collect.LabelRewrite;
import vintrel.core.collect.ScrapeJob;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.query.syntax.Printer;
import vintrel.core.series.Labels;
import vintrel.core.series.SeriesKey;
import vintrel.server.ask.RangeParams;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.define.StaleVersionException;
import vintrel.server.reach.Reach;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** Scrape jobs: their targets, and the form that makes and edits them. */
@Controller
class JobsController {
  private static final int PREVIEWED = 200;

  private final Definitions definitions;
  private final ScrapeJobs jobs;
  private final ScrapeReader reader;
  private final ScrapeTargets targets;
  private final JobsView views;
  private final Reach reach;
  private final RangeParams ranges;

  JobsController(
      Definitions definitions,
      ScrapeJobs jobs,
      ScrapeReader reader,
      ScrapeTargets targets,
      JobsView views,
      Reach reach,
      RangeParams ranges) {
    this.reach = reach;
    this.definitions = definitions;
    this.jobs = jobs;
    this.reader = reader;
    this.targets = targets;
    this.views = views;
    this.ranges = ranges;
  }

  @GetMapping("/collect/jobs")
  String page(
      @RequestParam(defaultValue = "") String job,
      @RequestParam(defaultValue = "") String done,
      Model model,
      HttpServletRequest request) {
    fill(job, model, request);
    model.addAttribute("done", done);
    model.addAttribute("doneTo", job);
    return "collect/jobs";
  }

  @GetMapping("/collect/jobs/targets")
  String targets(
      @RequestParam(defaultValue = "") String job, Model model, HttpServletRequest request) {
    fill(job, model, request);
    return "collect/jobs :: targets";
  }

  private void fill(String job, Model model, HttpServletRequest request) {
    model.addAttribute("view", views.of(job, ranges.of(request), PagePreferences.zone(request)));
  }

  /** Reads one target now. */
  @PostMapping("/collect/jobs/read")
  String read(
      @RequestParam String job,
      @RequestParam String instance,
      Model model,
      HttpServletRequest request) {
    jobs.now(need(job), instance);
    fill(job, model, request);
    return "collect/jobs :: targets";
  }

  private ScrapeJob need(String name) {
    var stored = definitions.find("job", name);
    if (stored == null) {
      throw new NoSuchElementException("no scrape job named `" + name + "`");
    }
    return ((Definition.OfJob) stored.definition()).job();
  }

  @GetMapping("/collect/jobs/edit")
  String edit(
      @RequestParam(defaultValue = "") String job,
      @RequestParam(defaultValue = "") String target,
      Model model) {
    var form =
        job.isEmpty()
            ? new JobForm("", target, "", "", "15s", "", "", "", "", "100000", "16000000", false)
            : JobForm.of(need(job));
    form(form, job, job.isEmpty() ? 0 : definitions.find("job", job).version(), Map.of(), model);
    return "collect/job-edit";
  }

  private static void form(
      JobForm form, String old, int version, Map<String, String> faults, Model model) {
    model.addAttribute("timeless", true);
    model.addAttribute("form", form);
    model.addAttribute("heading", old.isEmpty() ? "New scrape job" : "Edit " + old);
    model.addAttribute("old", old);
    model.addAttribute("version", version);
    model.addAttribute("faults", faults);
  }

  @PostMapping("/collect/jobs")
  String save(
      @ModelAttribute JobForm form,
      @RequestParam(defaultValue = "") String old,
      @RequestParam(defaultValue = "0") int version,
      Model model) {
    var document = form.document();
    Map<String, String> faults;
    try {
      if (!document.isFaulty()) {
        definitions.save(document.text(), version, CurrentUser.name(), Origin.PAGE);
        return "redirect:/collect/jobs?done=saved&job=" + form.name().strip();
      }
      faults = document.faults(List.of());
    } catch (DefinitionException e) {
      faults = document.faults(e.faults());
    } catch (StaleVersionException e) {
      faults = Map.of(version == 0 ? "name" : "", stale(e, version));
    }
    form(form, old, version, faults, model);
    return "collect/job-edit";
  }

  private static String stale(StaleVersionException e, int version) {
    if (version == 0) {
      return "a job of this name already exists";
    }
    return e.getMessage() + "; reload it to continue from that version";
  }

  @PostMapping("/collect/jobs/{name}/pause")
  String pause(@PathVariable String name) {
    return change(name, true);
  }

  @PostMapping("/collect/jobs/{name}/resume")
  String resume(@PathVariable String name) {
    return change(name, false);
  }

  private String change(String name, boolean paused) {
    var job = need(name);
    var changed =
        new ScrapeJob(
            job.name(),
            job.targets(),
            job.file(),
            job.resolve(),
            job.every(),
            job.timeout(),
            job.labels(),
            job.headers(),
            job.rewrite(),
            job.maxSamples(),
            job.maxBytes(),
            paused);
    definitions.save(new Definition.OfJob(changed), null, CurrentUser.name(), Origin.PAGE);
    return "redirect:/collect/jobs?done=" + (paused ? "paused" : "resumed") + "&job=" + name;
  }

  @PostMapping("/collect/jobs/{name}/delete")
  String delete(@PathVariable String name) {
    definitions.remove("job", name, null, CurrentUser.name(), Origin.PAGE);
    return "redirect:/collect/jobs?done=deleted&job=" + name;
  }

  /**
   * A series before and after the rewrite.
   *
   * @param after empty if it is left out
   */
  public record Pair(String before, String after, boolean changed) {}

  /** What a job would read from its first target. */
  public record Preview(
      String fault,
      String summary,
      List<Pair> pairs,
      String head,
      List<ConnectionSteps.Step> steps) {
    Preview(String fault) {
      this(fault, "", List.of(), "", List.of());
    }
  }

  /** Reads the first target as the form says, and shows what the rewrite makes of it. */
  @PostMapping("/collect/jobs/preview")
  String preview(@ModelAttribute JobForm form, Model model) {
    model.addAttribute("preview", preview(form));
    return "collect/job-edit :: preview";
  }

  private Preview preview(JobForm form) {
    var document = form.name().isBlank() ? form.named("preview").document() : form.document();
    ScrapeJob job;
    try {
      if (document.isFaulty()) {
        return new Preview(document.words(List.of()));
      }
      definitions.apply(document.text(), true, CurrentUser.name(), Origin.PAGE);
      job =
          ((Definition.OfJob) Bundle.parse(document.text()).documents().getFirst().definition())
              .job();
    } catch (DefinitionException e) {
      return new Preview(document.words(e.faults()));
    }
    var found = targets.of(job);
    if (found.targets().isEmpty()) {
      var why = found.faults().isEmpty() ? "the job has no target" : found.faults().getFirst();
      return new Preview(why);
    }
    return read(job, found.targets().getFirst());
  }

  private Preview read(ScrapeJob job, ScrapeJob.Target target) {
    var pairs = new ArrayList<Pair>();
    var counts = new int[3];
    var reading = reader.look(job, target, (key, result) -> note(key, result, pairs, counts));
    var summary =
        "%s: %,d series, %,d changed, %,d dropped, scraped in %,d ms"
            .formatted(
                ScrapeReader.instance(target), counts[0], counts[1], counts[2], reading.millis());
    // What changes is what people look for.
    pairs.sort(Comparator.comparing(p -> !p.changed()));
    return new Preview(
        reading.fault(),
        reading.up() ? summary : "",
        pairs,
        reading.head(),
        steps(job, target, reading));
  }

  /** Step by step, up to what the page holds. */
  private List<ConnectionSteps.Step> steps(
      ScrapeJob job, ScrapeJob.Target target, ScrapeReader.Reading reading) {
    var asked = reach.http(target.url(), "get", job.headers());
    var steps = asked.steps();
    if (reading.up()) {
      steps.ok("Content", "metrics");
    } else {
      steps.bad("Content", reading.fault(), "");
    }
    return steps.clock(asked.finding().clockAhead()).steps();
  }

  private static void note(
      SeriesKey key, LabelRewrite.Result result, List<Pair> pairs, int[] counts) {
    var before = shown(key.metric(), key.labels());
    var after = result == null ? "" : shown(result.metric(), result.labels());
    counts[0]++;
    if (!before.equals(after)) {
      counts[result == null ? 2 : 1]++;
    }
    if (pairs.size() < PREVIEWED) {
      pairs.add(new Pair(before, after, !before.equals(after)));
    }
  }

  private static String shown(String metric, Labels labels) {
    return Printer.name(metric) + (labels.asMap().isEmpty() ? "" : " " + labels);
  }
}
