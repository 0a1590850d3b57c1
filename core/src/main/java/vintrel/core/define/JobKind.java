package vintrel.core.define;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.collect.RewriteText;
import vintrel.core.collect.ScrapeJob;
import vintrel.core.define.Shape.Field;
import vintrel.core.unit.Durations;

/** {@code kind: job}. */
final class JobKind implements Kind<Definition.OfJob> {
  private static final int MAX_LIMIT = 100_000_000;

  private static final Shape.Fields SHAPE =
      new Shape.Fields(
              KIND,
              NAME,
              Field.of(
                  "targets",
                  new Shape.ListOf(
                      Checks.TARGET, 1, 10_000, true, "names no endpoint, or more than 10,000"),
                  "The addresses to scrape."),
              Field.of(
                  "file",
                  new Shape.Text(
                      200, "[A-Za-z0-9_][A-Za-z0-9_.-]*", "must be a file name without a folder"),
                  "A list of targets in the server's folder `targets`, read again when it"
                      + " changes."),
              Field.of(
                  "resolve",
                  new Shape.ListOf(
                      Checks.TARGET, 1, 100, true, "names no address, or more than 100"),
                  "Addresses whose host stands for several machines; each address that DNS returns"
                      + " is a target. A host that begins with _ is a service name (SRV)."),
              Field.of("every", new Shape.Duration(Durations.SECOND), "Time between two scrapes.")
                  .or("15s"),
              Field.of(
                  "timeout",
                  new Shape.Duration(1),
                  "Time until a scrape is given up. Default: 10s, or `every` if that is shorter."),
              Field.of("labels", new Shape.TextMap(), "Joined to each series' own.")
                  .checked(Checks::labels),
              Field.of(
                      "headers",
                      new Shape.TextMap(),
                      "Sent with each request. Values are kept as secrets and replaced by"
                          + " references.")
                  .checked(Checks::headers),
              Field.of(
                  "rewrite",
                  Checks.REWRITE,
                  "Steps that keep, drop, rename, remove or set labels on the way in, in order."),
              Field.of(
                      "max-samples",
                      new Shape.Whole(1, MAX_LIMIT),
                      "A page with more samples is rejected as a whole.")
                  .or(ScrapeJob.MAX_SAMPLES),
              Field.of(
                      "max-bytes",
                      new Shape.Whole(1, MAX_LIMIT),
                      "A longer page is rejected as a whole.")
                  .or(ScrapeJob.MAX_BYTES),
              Field.of("paused", new Shape.Truth(), "True if nothing is scraped for now.")
                  .or(false))
          .anyOf("targets", "file", "resolve");

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
    addresses(targets, path + ".targets", faults);
    addresses(doc.texts("resolve"), path + ".resolve", faults);
    var rewrite = Checks.rewrite(doc.texts("rewrite"), path, faults);
    long every = doc.duration("every");
    return new Definition.OfJob(
        new ScrapeJob(
            doc.text("name"),
            targets,
            doc.text("file"),
            doc.texts("resolve"),
            every,
            doc.has("timeout") ? doc.duration("timeout") : usual(every),
            doc.textMap("labels"),
            doc.textMap("headers"),
            rewrite,
            (int) doc.number("max-samples"),
            (int) doc.number("max-bytes"),
            doc.truth("paused")));
  }

  private static void addresses(List<String> targets, String path, List<String> faults) {
    for (int i = 0; i < targets.size(); i++) {
      if (!Checks.isUri(targets.get(i)) && !targets.get(i).matches("https?://_[^/]+(/.*)?")) {
        faults.add(
            path
                + "[%d]: '%s' is not an http or https address"
                    .formatted(i, Concealing.shown(targets.get(i))));
      }
    }
  }

  @Override
  public Map<String, Object> write(Definition.OfJob definition) {
    var job = definition.job();
    var out = new LinkedHashMap<String, Object>();
    Kinds.put(out, "targets", job.targets(), List.of());
    Kinds.put(out, "file", job.file(), "");
    Kinds.put(out, "resolve", job.resolve(), List.of());
    Kinds.put(out, "every", Durations.text(job.every()), "15s");
    Kinds.put(out, "timeout", Durations.text(job.timeout()), Durations.text(usual(job.every())));
    Kinds.put(out, "labels", new TreeMap<>(job.labels()), Map.of());
    Kinds.put(out, "headers", new TreeMap<>(job.headers()), Map.of());
    Kinds.put(
        out, "rewrite", job.rewrite().steps().stream().map(RewriteText::text).toList(), List.of());
    Kinds.put(out, "max-samples", job.maxSamples(), ScrapeJob.MAX_SAMPLES);
    Kinds.put(out, "max-bytes", job.maxBytes(), ScrapeJob.MAX_BYTES);
    Kinds.put(out, "paused", job.paused(), false);
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
        rewrite:
        - drop where metric like 'debug.%'
        - set gate to '{1}' from instance matching 'gate-([0-9]+).*'
        """);
  }
}
