package vintrel.server.collect;

import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Collectors;
import vintrel.core.collect.RewriteText;
import vintrel.core.collect.ScrapeJob;
import vintrel.core.unit.Durations;

/** A scrape job as its form has it: texts, several values one per line. */
public record JobForm(
    String name,
    String targets,
    String file,
    String resolve,
    String every,
    String timeout,
    String labels,
    String headers,
    String rewrite,
    String maxSamples,
    String maxBytes,
    Boolean paused) {
  /** Fields that a request leaves out are empty. */
  public JobForm {
    name = text(name);
    targets = text(targets);
    file = text(file);
    resolve = text(resolve);
    every = text(every);
    timeout = text(timeout);
    labels = text(labels);
    headers = text(headers);
    rewrite = text(rewrite);
    maxSamples = text(maxSamples);
    maxBytes = text(maxBytes);
    paused = Boolean.TRUE.equals(paused);
  }

  private static String text(String given) {
    return given == null ? "" : given;
  }

  static final JobForm EMPTY =
      new JobForm("", "", "", "", "15s", "", "", "", "", "100000", "16000000", false);

  static JobForm of(ScrapeJob job) {
    return new JobForm(
        job.name(),
        String.join("\n", job.targets()),
        job.file(),
        String.join("\n", job.resolve()),
        Durations.text(job.every()),
        Durations.text(job.timeout()),
        lines(job.labels(), "="),
        lines(job.headers(), ": "),
        RewriteText.text(job.rewrite()),
        String.valueOf(job.maxSamples()),
        String.valueOf(job.maxBytes()),
        job.paused());
  }

  static String lines(Map<String, String> map, String between) {
    return new TreeMap<>(map)
        .entrySet().stream()
            .map(e -> e.getKey() + between + e.getValue())
            .collect(Collectors.joining("\n"));
  }

  JobForm named(String other) {
    return new JobForm(
        other,
        targets,
        file,
        resolve,
        every,
        timeout,
        labels,
        headers,
        rewrite,
        maxSamples,
        maxBytes,
        paused);
  }

  /** The document that it stands for, and what can't be read of it. */
  FormDocument document() {
    var out = new FormDocument("job", name);
    out.list("targets", targets);
    out.text("file", file);
    out.list("resolve", resolve);
    out.text("every", every);
    out.text("timeout", timeout);
    out.map("labels", labels, '=');
    out.map("headers", headers, ':');
    out.list(
        "rewrite",
        rewrite == null
            ? ""
            : rewrite
                .lines()
                .filter(l -> !l.strip().startsWith("#"))
                .collect(Collectors.joining("\n")));
    out.number("max-samples", maxSamples);
    out.number("max-bytes", maxBytes);
    if (paused) {
      out.put("paused", true);
    }
    return out;
  }
}
