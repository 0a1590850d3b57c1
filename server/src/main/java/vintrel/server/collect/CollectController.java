package vintrel.server.collect;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.util.List;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.server.access.Tokens;
import vintrel.server.store.NamedStores;
import vintrel.server.web.AccessLog;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.TokenCheck;

/** The page Collect: how data arrives, and whether it did. */
@Controller
class CollectController {
  private final SenderStats arrivals;
  private final ScrapeJobs jobs;
  private final Tokens tokens;
  private final SampleStore store;
  private final NamedStores stores;
  private final Clock clock;

  CollectController(
      SenderStats arrivals,
      ScrapeJobs jobs,
      Tokens tokens,
      SampleStore store,
      NamedStores stores,
      Clock clock) {
    this.arrivals = arrivals;
    this.jobs = jobs;
    this.tokens = tokens;
    this.store = store;
    this.stores = stores;
    this.clock = clock;
  }

  /** A source in a table; light is ok, late or bad. */
  public record SourceView(
      String name, String way, String light, String age, String samples, String note) {}

  @GetMapping("/collect")
  String page(Model model, HttpServletRequest request) {
    fill(model, request);
    return "collect/collect";
  }

  @GetMapping("/collect/sources")
  String sources(Model model, HttpServletRequest request) {
    fill(model, request);
    return "collect/collect :: sources";
  }

  private void fill(Model model, HttpServletRequest request) {
    long now = clock.millis();
    model.addAttribute("base", request.getScheme() + "://" + host(request) + port(request));
    model.addAttribute("senders", arrivals.all().stream().map(a -> sender(a, now)).toList());
    model.addAttribute("targets", jobs.health().stream().map(h -> target(h, now)).toList());
    model.addAttribute("seriesCount", "%,d".formatted(store.catalog().size()));
    model.addAttribute("metricCount", "%,d".formatted(store.metricNames("").size()));
    model.addAttribute("storeNames", stores.all().stream().map(NamedStores.Named::name).toList());
    model.addAttribute("tokens", List.of());
    model.addAttribute("made", "");
    model.addAttribute("fault", "");
    if (Boolean.TRUE.equals(model.getAttribute("isAdmin"))) {
      model.addAttribute("tokens", tokens.all());
    }
  }

  /** The host name of the page's request, if it is a valid one. */
  private static String host(HttpServletRequest request) {
    var name = request.getServerName();
    return name.matches("[A-Za-z0-9.:\\[\\]-]{1,255}") ? name : "localhost";
  }

  private static String port(HttpServletRequest request) {
    return request.getServerPort() == 80 ? "" : ":" + request.getServerPort();
  }

  private static SourceView sender(SenderStats.Arrival a, long now) {
    long age = now - a.at();
    return new SourceView(
        a.sender(),
        a.way(),
        age > 5 * Durations.MINUTE ? "late" : "ok",
        Durations.words(Math.max(age, 0)),
        "%,d".formatted(a.samples()),
        note(a));
  }

  private static String note(SenderStats.Arrival a) {
    var refused = a.refused() > 0 ? "%,d rejected: %s".formatted(a.refused(), a.why()) : a.why();
    var exemplars = a.exemplars() == 0 ? "" : Counts.of(a.exemplars(), "exemplar") + " not stored";
    return refused + (refused.isEmpty() || exemplars.isEmpty() ? "" : "; ") + exemplars;
  }

  private static SourceView target(ScrapeJobs.Health h, long now) {
    return new SourceView(
        h.target(),
        h.job(),
        h.at() == 0 ? "late" : h.up() ? "ok" : "failing",
        h.at() == 0 ? "not scraped yet" : Durations.words(Math.max(0, now - h.at())),
        h.at() == 0 ? "" : h.samples() + " in " + h.millis() + " ms",
        h.fault());
  }

  @PostMapping("/collect/tokens")
  String make(
      @RequestParam(defaultValue = "") String name,
      @RequestParam TokenCheck.Scope scope,
      @RequestParam(required = false) String store,
      Model model,
      HttpServletRequest request) {
    String made = "";
    String fault = "";
    try {
      var bound = store == null ? "" : store.strip();
      made = tokens.make(name, scope, bound, CurrentUser.name());
      AccessLog.done(
          CurrentUser.name(), "created the token " + name + " (" + scope + " " + bound + ")");
    } catch (IllegalArgumentException e) {
      fault = e.getMessage();
    }
    fill(model, request);
    model.addAttribute("made", made);
    model.addAttribute("fault", fault);
    model.addAttribute("typedName", made.isEmpty() ? name : "");
    return "collect/collect";
  }

  @PostMapping("/collect/tokens/{id}/revoke")
  String revoke(@PathVariable long id) {
    tokens.revoke(id);
    AccessLog.done(CurrentUser.name(), "revoked the token " + id);
    return "redirect:/collect";
  }
}
