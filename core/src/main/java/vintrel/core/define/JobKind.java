package vintrel.core.define;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.define.Shape.Field;
import vintrel.core.unit.Durations;

/** {@code kind: job}. */
final class JobKind implements Kind<Definition.OfJob> {
  private static final Shape.Fields SHAPE =
      new Shape.Fields(
          KIND,
          NAME,
          Field.of(
                  "targets",
                  new Shape.ListOf(
                      Checks.TARGET, 1, 10_000, true, "names no endpoint, or more than 10,000"),
                  "The addresses to scrape.")
              .needed(),
          Field.of("every", new Shape.Duration(Durations.SECOND), "Time between two scrapes.")
              .or("15s"),
          Field.of(
              "timeout",
              new Shape.Duration(1),
              "Time until a scrape is given up. Default: 10s, or `every` if that is shorter."),
          Field.of("labels", new Shape.TextMap(), "Joined to each series' own.")
              .checked(Checks::labels));

  @Override
  public String name() {
    return "job";
  }

  @Override
  public Shape.Fields shape() {
    return SHAPE;
  }

  @Override
  public Class<Definition.OfJob> type() {
    return Definition.OfJob.class;
  }

  private static long usual(long every) {
    return Math.min(every, 10 * Durations.SECOND);
  }

  @Override
  public Definition.OfJob read(Node doc, String path, List<String> faults) {
    var targets = doc.texts("targets");
    for (int i = 0; i < targets.size(); i++) {
      if (!Checks.isUri(targets.get(i))) {
        faults.add(
            path
                + ".targets[%d]: '%s' is not an http or https address"
                    .formatted(i, Concealing.shown(targets.get(i))));
      }
    }
    long every = doc.duration("every");
    return new Definition.OfJob(
        doc.text("name"),
        targets,
        every,
        doc.has("timeout") ? doc.duration("timeout") : usual(every),
        doc.textMap("labels"));
  }

  @Override
  public Map<String, Object> write(Definition.OfJob job) {
    var out = new LinkedHashMap<String, Object>();
    out.put("targets", job.targets());
    Kinds.put(out, "every", Durations.text(job.every()), "15s");
    Kinds.put(out, "timeout", Durations.text(job.timeout()), Durations.text(usual(job.every())));
    Kinds.put(out, "labels", job.labels(), Map.of());
    return out;
  }

  @Override
  public Map<String, Object> example() {
    return Documents.map(
        """
        kind: job
        name: gates
        targets: [http://gate-1.marrowsound.example:9000/metrics]
        every: 30s
        timeout: 5s
        labels: {site: north-quay}
        """);
  }
}
