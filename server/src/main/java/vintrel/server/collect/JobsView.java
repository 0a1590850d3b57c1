package vintrel.server.collect;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import org.springframework.stereotype.Component;
import vintrel.core.collect.ScrapeJob;
import vintrel.core.define.Definition;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;
import vintrel.server.define.Definitions;

/** What the page Scrape jobs shows. */
@Component
class JobsView {
  private static final DateTimeFormatter TIME = DateTimeFormatter.ofPattern("HH:mm", Locale.UK);

  /** A target that takes more of its timeout is near it. */
  private static final double NEAR = 0.8;

  private final Definitions definitions;
  private final ScrapeJobs jobs;
  private final Strips strips;
  private final Clock clock;

  JobsView(Definitions definitions, ScrapeJobs jobs, Strips strips, Clock clock) {
    this.definitions = definitions;
    this.jobs = jobs;
    this.strips = strips;
    this.clock = clock;
  }

  /** A job in the list at the left. */
  public record JobRow(String name, String light, String count, String about) {}

  /**
   * A target.
   *
   * @param light ok, late, bad or wait
   * @param head the first lines of an answer that could not be read, or empty
   * @param answered status, time, size and type of that answer
   */
  public record TargetRow(
      String instance,
      String address,
      String labels,
      String light,
      String state,
      Strips.View strip,
      String age,
      String took,
      String samples,
      String note,
      String since,
      String head,
      String answered) {}

  /** A job with its targets. */
  public record Chosen(
      String name,
      boolean paused,
      String text,
      int version,
      String by,
      List<Arrivals.Part> sentence,
      List<String> faults,
      List<TargetRow> targets) {}

  public record View(List<JobRow> jobs, Chosen chosen, List<Strips.Tick> ticks) {}

  /** The page for a job; the first one that has a problem if none is named. */
  View of(String name, TimeText.Range range, ZoneId zone) {
    var all = new TreeMap<String, ScrapeJob>();
    definitions.jobs().stream().map(Definition.OfJob::job).forEach(j -> all.put(j.name(), j));
    var health = jobs.health();
    var rows = all.values().stream().map(j -> row(j, health)).toList();
    var chosen = all.get(name);
    if (chosen == null && !all.isEmpty()) {
      chosen =
          rows.stream()
              .filter(r -> r.light().equals("bad"))
              .map(r -> all.get(r.name()))
              .findFirst()
              .orElse(all.firstEntry().getValue());
    }
    return new View(
        rows,
        chosen == null ? null : chosen(chosen, health, range, zone),
        Strips.ticks(range, zone));
  }

  private JobRow row(ScrapeJob job, List<ScrapeJobs.Health> health) {
    var own = health.stream().filter(h -> h.job().equals(job.name())).toList();
    long down = own.stream().filter(ScrapeJobs.Health::down).count();
    long up = own.stream().filter(ScrapeJobs.Health::up).count();
    var light =
        job.paused() || up + down == 0
            ? "wait"
            : down > 0 || !jobs.faults(job.name()).isEmpty() ? "bad" : "ok";
    return new JobRow(
        job.name(),
        light,
        job.paused() ? "paused" : up + " of " + own.size(),
        "every %s, timeout %s"
            .formatted(Durations.words(job.every()), Durations.words(job.timeout())));
  }

  private Chosen chosen(
      ScrapeJob job, List<ScrapeJobs.Health> health, TimeText.Range range, ZoneId zone) {
    long now = clock.millis();
    var own = health.stream().filter(h -> h.job().equals(job.name())).toList();
    var drawn =
        strips.of(
            "scrape.samples where job = '%s' then sum".formatted(job.name()),
            range,
            now,
            labels -> labels.get("instance"),
            i -> job.every());
    var rows =
        own.stream()
            .sorted(Comparator.comparing(h -> !h.down()))
            .map(h -> row(job, h, drawn, now, zone))
            .toList();
    var stored = definitions.find("job", job.name());
    return new Chosen(
        job.name(),
        job.paused(),
        stored.text(),
        stored.version(),
        stored.by(),
        sentence(job, own),
        jobs.faults(job.name()),
        rows);
  }

  private static List<Arrivals.Part> sentence(ScrapeJob job, List<ScrapeJobs.Health> own) {
    if (job.paused()) {
      return List.of(new Arrivals.Part("Paused. Nothing is scraped.", ""));
    }
    long down = own.stream().filter(ScrapeJobs.Health::down).count();
    long up = own.stream().filter(ScrapeJobs.Health::up).count();
    long waiting = own.size() - up - down;
    if (waiting == own.size() && waiting > 0) {
      return List.of(new Arrivals.Part("Waiting for the first scrape.", ""));
    }
    long perMinute =
        own.stream().mapToLong(h -> h.last().samples()).sum() * Durations.MINUTE / job.every();
    var times =
        own.stream().filter(h -> h.at() > 0).mapToLong(h -> h.last().millis()).sorted().toArray();
    var out = new java.util.ArrayList<Arrivals.Part>();
    out.add(new Arrivals.Part("%,d of %s up".formatted(up, Counts.of(own.size(), "target")), "b"));
    if (down > 0) {
      out.add(new Arrivals.Part(", ", ""));
      out.add(new Arrivals.Part("%,d down".formatted(down), "bad"));
    }
    if (waiting > 0) {
      out.add(new Arrivals.Part(", %,d not scraped yet".formatted(waiting), ""));
    }
    var median = times.length == 0 ? 0 : times[(times.length - 1) / 2];
    out.add(
        new Arrivals.Part(
            ". %,d samples per minute, median scrape %,d ms.".formatted(perMinute, median), ""));
    return out;
  }

  private TargetRow row(
      ScrapeJob job, ScrapeJobs.Health h, Map<String, Strips.View> drawn, long now, ZoneId zone) {
    var r = h.last();
    boolean near = r.up() && r.millis() > NEAR * job.timeout();
    boolean partly = r.up() && !r.fault().isEmpty();
    var light = r.at() == 0 ? "wait" : h.down() ? "bad" : near || partly ? "late" : "ok";
    var note =
        h.down() || partly
            ? r.fault()
            : near
                ? "near the timeout of " + Durations.words(job.timeout())
                : r.dropped() > 0 ? "%,d dropped".formatted(r.dropped()) : "";
    var labels = new TreeMap<>(h.target().labels());
    var instance = ScrapeReader.instance(h.target());
    return new TargetRow(
        instance,
        h.shown(),
        labels.isEmpty() ? "" : labels.toString(),
        light,
        r.at() == 0 ? "not scraped yet" : h.down() ? "down" : "up",
        drawn.getOrDefault(instance, Strips.View.NONE),
        r.at() == 0 ? "–" : Arrivals.age(now - r.at()),
        r.at() == 0 ? "–" : "%,d ms".formatted(r.millis()),
        r.at() == 0 ? "–" : "%,d".formatted(r.samples()),
        note,
        h.down() ? "since " + TIME.format(Instant.ofEpochMilli(h.since()).atZone(zone)) : "",
        h.down() ? r.head() : "",
        r.status() == 0
            ? ""
            : "HTTP %d, %,d ms, %s%s"
                .formatted(
                    r.status(),
                    r.millis(),
                    Units.format(r.bytes(), "By"),
                    r.type().isEmpty() ? "" : ", " + r.type()));
  }
}
