package vintrel.server.collect;

import java.time.Clock;
import java.util.List;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.server.ResponseStatusException;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;
import vintrel.server.access.Tokens;

/** The page of one source: what it sends, how, and what to make of it. */
@Controller
class SourceController {
  private static final int MAX_METRICS = 200;

  private final SourceBook book;
  private final SourceMetrics metrics;
  private final SourceActions actions;
  private final Tokens tokens;
  private final Clock clock;

  SourceController(
      SourceBook book, SourceMetrics metrics, SourceActions actions, Tokens tokens, Clock clock) {
    this.book = book;
    this.metrics = metrics;
    this.actions = actions;
    this.tokens = tokens;
    this.clock = clock;
  }

  /** What is known of a source, in words. */
  public record SourceView(
      String name,
      String protocol,
      String token,
      String address,
      String age,
      String interval,
      String accepted,
      String rejected,
      String why) {}

  private SourceBook.Source source(String token, Way way, String service) {
    return book.all().stream()
        .filter(s -> s.key.equals(new SourceBook.Key(token, way, service)))
        .findFirst()
        .orElseThrow(() -> new ResponseStatusException(HttpStatus.NOT_FOUND));
  }

  @GetMapping("/collect/source")
  String page(
      @RequestParam String token,
      @RequestParam Way way,
      @RequestParam(defaultValue = "") String service,
      Model model) {
    var s = source(token, way, service);
    var sent = metrics.metrics(List.of(s), MAX_METRICS);
    var known = s.tokenId == 0 ? null : tokens.find(s.tokenId);
    long interval = s.pace.interval();
    model.addAttribute(
        "source",
        new SourceView(
            s.name(),
            s.key.way().words,
            token,
            s.address,
            s.pace.last() == 0 ? "never" : Arrivals.age(clock.millis() - s.pace.last()),
            interval == 0 ? "not known yet" : Durations.words(interval),
            "%,d".formatted(s.accepted.get()),
            "%,d".formatted(s.rejected.get()),
            s.why));
    model.addAttribute("way", way);
    model.addAttribute("service", service);
    model.addAttribute("events", way.isEvents());
    model.addAttribute("metrics", sent);
    model.addAttribute("more", Math.max(0, s.metrics().size() - sent.size()));
    model.addAttribute(
        "labels",
        sent.isEmpty() ? "" : metrics.labels(sent, known == null ? Labels.NONE : known.labels()));
    return "collect/source";
  }

  @PostMapping("/collect/source/dashboard")
  String dashboard(
      @RequestParam String token,
      @RequestParam Way way,
      @RequestParam(defaultValue = "") String service) {
    var s = source(token, way, service);
    return "redirect:" + actions.dashboard(s.name(), List.of(s));
  }

  @PostMapping("/collect/source/rule")
  String rule(
      @RequestParam String token,
      @RequestParam Way way,
      @RequestParam(defaultValue = "") String service) {
    var s = source(token, way, service);
    return "redirect:" + actions.rule(s.name(), List.of(s));
  }
}
