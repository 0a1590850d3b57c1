package vintrel.server.collect;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.EnumSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.stream.Collectors;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import vintrel.core.unit.Durations;
import vintrel.server.access.TokenSpec;
import vintrel.server.access.Tokens;
import vintrel.server.store.NamedStores;
import vintrel.server.web.AccessLog;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;
import vintrel.server.web.TokenCheck.Right;

/** The tokens: what each may do, from where, how long, and who used it last. */
@Controller
class TokensController {
  private static final DateTimeFormatter DAY =
      DateTimeFormatter.ofPattern("EEE d MMM yyyy HH:mm", Locale.UK);

  private final Tokens tokens;
  private final NamedStores stores;
  private final Clock clock;

  private final Rejections rejections;

  TokensController(Tokens tokens, NamedStores stores, Rejections rejections, Clock clock) {
    this.rejections = rejections;
    this.tokens = tokens;
    this.stores = stores;
    this.clock = clock;
  }

  /** A token as the page shows it. */
  public record TokenView(
      long id,
      String name,
      String rights,
      String store,
      String networks,
      String limits,
      String labels,
      String expires,
      boolean ends,
      String used,
      String from,
      boolean rotated) {}

  /** What was typed, for the form after an error. */
  public record Typed(
      String name,
      Set<Right> rights,
      String store,
      String networks,
      String days,
      String maxSamples,
      String maxSeries,
      String labels) {
    static final Typed NOTHING =
        new Typed("", EnumSet.of(Right.METRICS, Right.EVENTS), "", "", "", "", "", "");
  }

  @GetMapping("/collect/tokens")
  String page(Model model, HttpServletRequest request) {
    fill(model, request, Typed.NOTHING, "", "", "");
    return "collect/tokens";
  }

  private void fill(
      Model model,
      HttpServletRequest request,
      Typed typed,
      String fault,
      String made,
      String madeName) {
    model.addAttribute("timeless", true);
    model.addAttribute("rejected", rejections.rows());
    model.addAttribute("rights", Right.values());
    model.addAttribute("storeNames", stores.all().stream().map(NamedStores.Named::name).toList());
    model.addAttribute("typed", typed);
    model.addAttribute("fault", fault);
    model.addAttribute("made", made);
    model.addAttribute("madeName", madeName);
    boolean admin = Boolean.TRUE.equals(model.getAttribute("isAdmin"));
    var zone = PagePreferences.zone(request);
    model.addAttribute(
        "tokens", admin ? tokens.all().stream().map(t -> view(t, zone)).toList() : List.of());
  }

  private TokenView view(Tokens.Known t, ZoneId zone) {
    long now = clock.millis();
    var limits = new java.util.ArrayList<String>();
    if (t.maxSamples() > 0) {
      limits.add("%,d samples/s".formatted(t.maxSamples()));
    }
    if (t.maxSeries() > 0) {
      limits.add("%,d new series/h".formatted(t.maxSeries()));
    }
    boolean expired = t.expiresAt() > 0 && t.expiresAt() <= now;
    return new TokenView(
        t.id(),
        t.name(),
        t.rights().size() == Right.values().length
            ? "everything"
            : t.rights().stream().sorted().map(Right::words).collect(Collectors.joining(", ")),
        t.store().isEmpty() ? "all" : t.store(),
        t.networks().isEmpty() ? "any" : String.join(", ", t.networks()),
        limits.isEmpty() ? "none" : String.join(", ", limits),
        TokenSpec.text(t.labels()),
        t.expiresAt() == 0
            ? "never"
            : expired ? "expired" : DAY.format(Instant.ofEpochMilli(t.expiresAt()).atZone(zone)),
        t.expiresAt() > 0 && t.expiresAt() - now < 14 * Durations.DAY,
        t.usedAt() == 0 ? "never" : Durations.words(Math.max(0, now - t.usedAt())) + " ago",
        t.usedFrom(),
        t.rotated());
  }

  @PostMapping("/collect/tokens")
  String create(
      @RequestParam(defaultValue = "") String name,
      @RequestParam(defaultValue = "") List<Right> right,
      @RequestParam(defaultValue = "") String store,
      @RequestParam(defaultValue = "") String networks,
      @RequestParam(defaultValue = "") String days,
      @RequestParam(defaultValue = "") String maxSamples,
      @RequestParam(defaultValue = "") String maxSeries,
      @RequestParam(defaultValue = "") String labels,
      Model model,
      HttpServletRequest request) {
    var rights = right.isEmpty() ? EnumSet.noneOf(Right.class) : EnumSet.copyOf(right);
    var typed = new Typed(name, rights, store, networks, days, maxSamples, maxSeries, labels);
    try {
      long valid = number("valid for", days, 36_500);
      var spec =
          new TokenSpec(
              name,
              rights,
              store.strip(),
              TokenSpec.networks(networks),
              valid == 0 ? 0 : clock.millis() + valid * Durations.DAY,
              (int) number("samples per second", maxSamples, 100_000_000),
              (int) number("new series per hour", maxSeries, 100_000_000),
              TokenSpec.labels(labels));
      var made = tokens.create(spec, CurrentUser.name());
      AccessLog.done(CurrentUser.name(), "created the token " + name + " (" + rights + ")");
      fill(model, request, Typed.NOTHING, "", made.token(), name.strip());
    } catch (IllegalArgumentException e) {
      fill(model, request, typed, e.getMessage(), "", "");
    }
    return "collect/tokens";
  }

  private static long number(String what, String text, long max) {
    if (text.isBlank()) {
      return 0;
    }
    try {
      long n = Long.parseLong(text.strip().replace(",", ""));
      if (n >= 0 && n <= max) {
        return n;
      }
    } catch (NumberFormatException e) {
      // Reported below.
    }
    throw new IllegalArgumentException(
        what + " must be a whole number up to %,d, or empty".formatted(max));
  }

  @PostMapping("/collect/tokens/{id}/revoke")
  String revoke(@PathVariable long id) {
    tokens.revoke(id);
    AccessLog.done(CurrentUser.name(), "revoked the token " + id);
    return "redirect:/collect/tokens";
  }

  /** Replaces a token; the old one is valid for some hours more. */
  @PostMapping("/collect/tokens/{id}/rotate")
  String rotate(
      @PathVariable long id,
      @RequestParam(defaultValue = "24") int hours,
      Model model,
      HttpServletRequest request) {
    try {
      var made =
          tokens.rotate(id, Math.clamp(hours, 0, 24 * 30) * Durations.HOUR, CurrentUser.name());
      AccessLog.done(CurrentUser.name(), "rotated the token " + id);
      var name =
          tokens.all().stream()
              .filter(t -> t.id() == made.id())
              .map(Tokens.Known::name)
              .findFirst()
              .orElse("");
      fill(model, request, Typed.NOTHING, "", made.token(), name);
    } catch (IllegalArgumentException e) {
      fill(model, request, Typed.NOTHING, e.getMessage(), "", "");
    }
    return "collect/tokens";
  }
}
