package vintrel.server.collect;

import jakarta.servlet.http.HttpServletResponse;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.TreeMap;
import java.util.function.Function;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import vintrel.core.series.Series;
import vintrel.core.store.DiskForecast;
import vintrel.core.store.Retention;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.server.store.LogStore;
import vintrel.server.store.NamedStores;
import vintrel.server.store.StoreUsage;
import vintrel.server.web.AccessLog;
import vintrel.server.web.CurrentUser;

/** The page Stores: what is kept for how long, what it takes, and what a change would cost. */
@Controller
class StoresController {
  private static final int MAX_ROWS = 30;
  private static final List<String> NEW_DAYS = List.of("30", "90", "360", "1080");

  private final NamedStores stores;
  private final StoreUsage usage;
  private final SampleStore store;
  private final LogStore events;
  private final Clock clock;

  StoresController(
      NamedStores stores, StoreUsage usage, SampleStore store, LogStore events, Clock clock) {
    this.clock = clock;
    this.events = events;
    this.stores = stores;
    this.usage = usage;
    this.store = store;
  }

  /** A store in the table; sizes in words, days as they are typed. */
  public record StoreView(
      String name, String series, String bytes, String perDay, String full, List<String> days) {}

  /** A row of what takes how much in a day; share is a percentage of the largest. */
  public record CostView(
      String name,
      String series,
      String samples,
      String raw,
      String tiers,
      String each,
      int share) {}

  /**
   * What would be.
   *
   * @param change in words: so much more, less, or no difference
   */
  public record WhatIf(String now, String then, String change) {}

  @GetMapping("/collect/stores")
  String page(
      @RequestParam(defaultValue = "metric") String by,
      @RequestParam(defaultValue = "main") String changed,
      @RequestParam(defaultValue = "") String interval,
      @RequestParam(required = false) List<String> days,
      Model model) {
    fill(by, model);
    whatIf(changed, interval, days, model);
    return "collect/stores";
  }

  @PostMapping("/collect/stores")
  String make(@RequestParam String name, @RequestParam List<String> days, Model model) {
    if (stores.get(name.strip()) != null) {
      return refused(
          "a store named `" + name.strip() + "` already exists", new Typed("", name, days), model);
    }
    return put(name.strip(), new Typed("", name, days), model);
  }

  /**
   * Sets the retention of a store, days. Fewer of them delete samples: only an administrator may,
   * and only after a warning that names what is deleted.
   */
  @PostMapping("/collect/stores/{name}")
  String change(
      @PathVariable String name,
      @RequestParam List<String> days,
      @RequestParam(defaultValue = "") String confirmed,
      Model model,
      HttpServletResponse response) {
    var typed = new Typed(name, "", days);
    try {
      var known = stores.get(name);
      var wanted = retention(days);
      var loss = known == null ? "" : Loss.words(known, wanted, usage.held(), clock.millis());
      boolean admin = Boolean.TRUE.equals(model.getAttribute("isAdmin"));
      if (!loss.isEmpty() && !admin) {
        response.setStatus(403);
        AccessLog.refused(CurrentUser.name(), "shortening what " + name + " keeps");
        return refused(
            "only an administrator can shorten retention; this would delete " + loss, typed, model);
      }
      if (!loss.isEmpty() && !confirmed.equals(String.join(",", days))) {
        model.addAttribute("asks", name);
        model.addAttribute("loss", loss);
        return refused("", typed, model);
      }
      if (!loss.isEmpty()) {
        AccessLog.done(
            CurrentUser.name(), "shortened what " + name + " keeps, which deletes " + loss);
      }
    } catch (IllegalArgumentException e) {
      return refused(e.getMessage(), typed, model);
    }
    return put(name, typed, model);
  }

  /**
   * What was typed.
   *
   * @param row the store whose row it was; empty: the row for a new one
   * @param name of a new one
   */
  private record Typed(String row, String name, List<String> days) {
    static final Typed NOTHING = new Typed("", "", NEW_DAYS);
  }

  private String put(String name, Typed typed, Model model) {
    try {
      stores.put(name, retention(typed.days()), CurrentUser.name());
      return "redirect:/collect/stores";
    } catch (IllegalArgumentException e) {
      return refused(e.getMessage(), typed, model);
    }
  }

  /** The page again with what was typed where it was typed. */
  private String refused(String fault, Typed typed, Model model) {
    model.addAttribute("fault", fault);
    model.addAttribute("typed", typed);
    return page("metric", "main", "", null, model);
  }

  /** Days of raw samples and of each tier, from fine to coarse. */
  private static Retention retention(List<String> days) {
    if (days.size() != 4) {
      throw new IllegalArgumentException("enter the days for raw, 1 min, 10 min and 1 h");
    }
    var millis = new ArrayList<Long>();
    for (var text : days) {
      try {
        millis.add(Math.multiplyExact(Long.parseLong(text.strip()), Durations.DAY));
      } catch (NumberFormatException | ArithmeticException e) {
        throw new IllegalArgumentException("days must be whole numbers, not '" + text + "'");
      }
    }
    return new Retention(millis.get(0), millis.get(1), millis.get(2), millis.get(3));
  }

  private static List<Long> days(Retention r) {
    return List.of(
        r.raw() / Durations.DAY,
        r.minute() / Durations.DAY,
        r.tenMinutes() / Durations.DAY,
        r.hour() / Durations.DAY);
  }

  private void fill(String by, Model model) {
    var held = usage.held();
    var day = usage.day();
    var typed = (Typed) model.asMap().getOrDefault("typed", Typed.NOTHING);
    var views = new ArrayList<StoreView>();
    for (var s : stores.all()) {
      long bytes =
          held.stream()
              .filter(h -> h.store().equals(s.name()))
              .mapToLong(StoreUsage.Held::bytes)
              .sum();
      var mine =
          day.stream()
              .map(StoreUsage.OfSeries::usage)
              .filter(u -> u.store().equals(s.name()))
              .toList();
      double perDay = mine.stream().mapToDouble(DiskForecast.Usage::bytes).sum();
      views.add(
          new StoreView(
              s.name(),
              "%,d".formatted(store.catalog().size(s.name())),
              size(bytes),
              size(perDay),
              size(DiskForecast.bytes(mine, DiskForecast.Interval.AS_NOW, x -> s.retention())),
              typed.row().equals(s.name()) ? typed.days() : words(days(s.retention()))));
    }
    var names = store.catalog().labelNames("", null);
    var chosen = by.equals("metric") || names.contains(by) ? by : "metric";
    model.addAttribute("stores", views);
    model.addAttribute("by", chosen);
    model.addAttribute("labels", names);
    model.addAttribute("costs", costs(day, chosen));
    model.addAttribute(
        "sizes",
        store.catalog().labelSizes().stream().limit(8).map(StoresController::label).toList());
    model.addAttribute("records", records());
    model.asMap().putIfAbsent("fault", "");
    model.asMap().putIfAbsent("asks", "");
    model.addAttribute("newName", typed.name());
    model.addAttribute("newDays", typed.row().isEmpty() ? typed.days() : NEW_DAYS);
  }

  /** What is kept of log records, as a sentence. */
  private String records() {
    var kept = events.kept();
    if (kept.records() == 0) {
      return "";
    }
    var size = kept.bytes() == 0 ? "" : " (packed: " + size(kept.bytes()) + ")";
    return "Events: %,d%s; kept for %s."
        .formatted(kept.records(), size, Counts.of(kept.days(), "day"));
  }

  private static List<String> words(List<Long> days) {
    return days.stream().map(String::valueOf).toList();
  }

  /** A label with counts in words. */
  public record LabelView(String name, String values, String series) {}

  private static LabelView label(vintrel.core.index.Catalog.LabelSize l) {
    return new LabelView(l.name(), "%,d".formatted(l.values()), "%,d".formatted(l.series()));
  }

  private static final class Sum {
    int series;
    double samples;
    double raw;
    double tiers;
  }

  private List<CostView> costs(List<StoreUsage.OfSeries> day, String by) {
    Function<Series, String> key =
        by.equals("metric")
            ? Series::metric
            : s -> s.labels().get(by) == null ? "" : s.labels().get(by);
    var sums = new TreeMap<String, Sum>();
    for (var u : day) {
      var series = store.catalog().get(u.series());
      if (series == null) {
        continue;
      }
      var sum = sums.computeIfAbsent(key.apply(series), k -> new Sum());
      if (u.usage().tier() == 0) {
        sum.series++;
        sum.samples += u.usage().samples();
        sum.raw += u.usage().bytes();
      } else {
        sum.tiers += u.usage().bytes();
      }
    }
    double max = sums.values().stream().mapToDouble(s -> s.raw + s.tiers).max().orElse(1);
    return sums.entrySet().stream()
        .sorted(Comparator.comparingDouble(e -> -e.getValue().raw - e.getValue().tiers))
        .limit(MAX_ROWS)
        .map(e -> cost(e.getKey(), e.getValue(), max))
        .toList();
  }

  private static CostView cost(String name, Sum s, double max) {
    return new CostView(
        name.isEmpty() ? "(no label)" : name,
        "%,d".formatted(s.series),
        "%,.0f".formatted(s.samples),
        size(s.raw),
        size(s.tiers),
        s.samples == 0 ? "" : String.format(Locale.ROOT, "%.2f", (s.raw + s.tiers) / s.samples),
        (int) Math.ceil(20 * (s.raw + s.tiers) / max));
  }

  private void whatIf(String changed, String interval, List<String> days, Model model) {
    var named = stores.get(changed) == null ? stores.get("main") : stores.get(changed);
    model.addAttribute("changed", named.name());
    model.addAttribute("interval", interval);
    model.addAttribute("wanted", days == null ? days(named.retention()) : days);
    model.addAttribute("asked", days != null);
    model.addAttribute("whatIfFault", "");
    var lived = usage.lived(named.name());
    model.addAttribute(
        "basis",
        lived >= Durations.DAY
            ? "Based on the latest day on disk."
            : "Extrapolated from the " + Durations.words(lived) + " on disk so far.");
    try {
      var mine =
          usage.day().stream()
              .map(StoreUsage.OfSeries::usage)
              .filter(u -> u.store().equals(named.name()))
              .toList();
      var then = days == null ? named.retention() : retention(days);
      double before =
          DiskForecast.bytes(mine, DiskForecast.Interval.AS_NOW, x -> named.retention());
      double after = DiskForecast.bytes(mine, DiskForecast.Interval.parse(interval), x -> then);
      model.addAttribute("whatIf", new WhatIf(size(before), size(after), change(after - before)));
    } catch (IllegalArgumentException e) {
      model.addAttribute("whatIfFault", e.getMessage());
    }
  }

  private static String change(double bytes) {
    return Math.abs(bytes) < 1
        ? "no change"
        : size(Math.abs(bytes)) + (bytes > 0 ? " more" : " less");
  }

  private static String size(double bytes) {
    return Units.format(bytes, "By");
  }
}
