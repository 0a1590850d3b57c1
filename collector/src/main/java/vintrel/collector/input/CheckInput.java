package vintrel.collector.input;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.UnaryOperator;
import vintrel.collector.Input;
import vintrel.collector.Reading;
import vintrel.collector.probe.Prober;
import vintrel.core.collect.Check;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.collect.Verdict;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;

/** A check that runs on this host: the same metrics as the server's own checks. */
public final class CheckInput implements Input {
  private final Prober prober;
  private final Check check;
  private final UnaryOperator<String> environment;
  private final Map<String, String> labels;
  private Boolean passed;
  private final List<Event> events = new ArrayList<>();

  /**
   * @param from the site or host that it runs on
   */
  public CheckInput(
      Prober prober,
      CollectorConfig.Input input,
      CollectorConfig.Probing source,
      String from,
      UnaryOperator<String> environment) {
    this.prober = prober;
    this.environment = environment;
    this.check =
        new Check(
            input.name(),
            source.title().isEmpty() ? input.name() : source.title(),
            source.probe(),
            input.every(),
            input.timeout(),
            source.maxDuration(),
            input.labels(),
            Check.HERE,
            false);
    var all = new TreeMap<>(input.labels());
    all.put("check", input.name());
    all.put("kind", source.probe().kind());
    all.put("from", from);
    this.labels = all;
  }

  @Override
  public List<Reading> read() {
    var finding = prober.run(check.probe(), check.timeout(), environment);
    long now = System.currentTimeMillis();
    var verdict = Verdict.of(check, finding, now);
    var out = new ArrayList<Reading>();
    out.add(Reading.gauge("check.up", "", verdict.passed() ? 1 : 0, labels));
    out.add(Reading.gauge("check.duration", "s", finding.millis() / 1000, labels));
    for (var phase : finding.phases()) {
      var own = new TreeMap<>(labels);
      own.put("phase", phase.name());
      out.add(Reading.gauge("check.phase", "s", phase.millis() / 1000, own));
    }
    if (finding.status() > 0) {
      out.add(Reading.gauge("check.status", "", finding.status(), labels));
    }
    if (!Double.isNaN(verdict.daysLeft())) {
      out.add(Reading.gauge("check.days_left", "d", verdict.daysLeft(), labels));
    }
    if (passed == null ? !verdict.passed() : passed != verdict.passed()) {
      var text =
          check.title() + (verdict.passed() ? " passes again: " : " fails: ") + verdict.found();
      events.add(
          new Event(0, "", now, verdict.passed() ? "info" : "error", text, Labels.of(labels), ""));
    }
    passed = verdict.passed();
    return out;
  }

  @Override
  public List<Event> events() {
    var taken = List.copyOf(events);
    events.clear();
    return taken;
  }
}
