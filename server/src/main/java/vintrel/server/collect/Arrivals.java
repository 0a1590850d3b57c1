package vintrel.server.collect;

import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import vintrel.core.collect.Pace;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.server.access.Tokens;
import vintrel.server.ask.ExternalStores;

/** The page Collect: every source by category, with its light, its strip and its problem. */
@Component
class Arrivals {
  /** A problem is shown for this long after it was seen last. */
  private static final long RECENT_MS = 10 * Durations.MINUTE;

  private final SourceBook book;
  private final ScrapeJobs jobs;
  private final Checks checks;
  private final Tokens tokens;
  private final ExternalStores external;
  private final Strips strips;
  private final Clock clock;

  Arrivals(
      SourceBook book,
      ScrapeJobs jobs,
      Checks checks,
      Tokens tokens,
      ExternalStores external,
      Strips strips,
      Clock clock) {
    this.checks = checks;
    this.tokens = tokens;
    this.book = book;
    this.jobs = jobs;
    this.external = external;
    this.strips = strips;
    this.clock = clock;
  }

  /** How a source is, worst first. */
  enum Light {
    BAD("failing"),
    LATE("late"),
    OK("ok"),
    WAIT("no data yet");

    final String words;

    Light(String words) {
      this.words = words;
    }
  }

  /**
   * A source.
   *
   * @param light ok, late, bad or wait
   * @param state the same in a word
   * @param href a page about it, or empty
   */
  public record Row(
      String name,
      String how,
      String light,
      String state,
      Strips.View strip,
      String perMinute,
      String series,
      String age,
      String note,
      String href) {}

  public record Group(String title, String about, List<Row> rows) {}

  /**
   * The page.
   *
   * @param sentence its parts: a text and a class for each
   */
  public record View(
      List<Part> sentence, List<Strips.Tick> ticks, List<Group> groups, boolean any) {}

  /** A piece of the sentence; {@code look} is b, late, bad or empty. */
  public record Part(String text, String look) {}

  private record Item(Way.Category category, Light light, Row row, long perMinute, int series) {}

  View view(TimeText.Range range, java.time.ZoneId zone, String search) {
    long now = clock.millis();
    var strips = strips(range, now);
    var items = new ArrayList<Item>();
    var jobNames = jobs.health().stream().map(ScrapeJobs.Health::job).distinct().toList();
    for (var s : book.all()) {
      boolean job = s.key.way() == Way.SCRAPE && jobNames.contains(s.key.token());
      long seen = Math.max(s.pace.last(), s.whyAt);
      if (!job && now - seen <= SelfMonitoring.SILENT_MS) {
        items.add(source(s, strips, now));
      }
    }
    jobNames.forEach(name -> items.add(job(name, strips, now)));
    external.all().forEach(e -> items.add(external(e)));
    var word = search.strip().toLowerCase(Locale.ROOT);
    var shown =
        items.stream()
            .filter(
                i -> (i.row().name() + " " + i.row().how()).toLowerCase(Locale.ROOT).contains(word))
            .toList();
    return new View(sentence(items), Strips.ticks(range, zone), groups(shown), !items.isEmpty());
  }

  private static List<Group> groups(List<Item> items) {
    var byCategory =
        items.stream()
            .sorted(Comparator.comparing(Item::light).thenComparing(i -> i.row().name()))
            .collect(Collectors.groupingBy(Item::category));
    var out = new ArrayList<Group>();
    for (var category : Way.Category.values()) {
      var rows = byCategory.getOrDefault(category, List.of());
      if (!rows.isEmpty()) {
        out.add(
            new Group(
                category.title,
                Counts.of(rows.size(), category == Way.Category.DATABASES ? "store" : "source"),
                rows.stream().map(Item::row).toList()));
      }
    }
    return out;
  }

  private static List<Part> sentence(List<Item> items) {
    long perMinute = items.stream().mapToLong(Item::perMinute).sum();
    long series = items.stream().mapToLong(Item::series).sum();
    long bad = items.stream().filter(i -> i.light() == Light.BAD).count();
    long late = items.stream().filter(i -> i.light() == Light.LATE).count();
    var out = new ArrayList<Part>();
    out.add(new Part("%,d samples per minute from ".formatted(perMinute), ""));
    out.add(new Part(Counts.of(items.size(), "source"), "b"));
    out.add(new Part(", %,d series. ".formatted(series), ""));
    if (bad > 0) {
      out.add(new Part(bad + " failing", "bad"));
    }
    if (late > 0) {
      out.add(new Part(bad > 0 ? ", " : "", ""));
      out.add(new Part(late + " late", "late"));
    }
    out.add(new Part(bad + late > 0 ? "." : "All sources are on time.", ""));
    return out;
  }

  private Item source(SourceBook.Source s, Map<String, Strips.View> strips, long now) {
    boolean events = s.key.way().isEvents();
    boolean paused = paused(s.key);
    // What is brought once is not late afterwards.
    var state = s.key.way() == Way.IMPORT ? Pace.State.OK : s.pace.state(now);
    var light =
        switch (state) {
          case LATE -> Light.LATE;
          case WAITING -> Light.WAIT;
          case OK -> Light.OK;
        };
    var note = "";
    if (now - s.whyAt < RECENT_MS && !s.why.isEmpty()) {
      light = Light.BAD;
      note = "%,d rejected: %s".formatted(s.rejected.get(), s.why);
    } else if (now - s.contestedAt < RECENT_MS && !s.contested.isEmpty()) {
      light = Light.LATE;
      note = "sends the same series as " + s.contested + "; add a label to distinguish them";
    } else if (now - s.changedAt < RECENT_MS && !s.changed.isEmpty()) {
      light = Light.LATE;
      note = s.changed;
    } else if (s.key.way() == Way.CHECK && checks.fails(s.key.token())) {
      light = Light.BAD;
      note = checks.found(s.key.token());
    } else if (state == Pace.State.LATE) {
      long interval = s.pace.interval();
      note = interval > 0 ? "expected every " + Durations.words(interval) : "";
    } else if (s.lag > RECENT_MS) {
      note = "samples are " + Durations.words(s.lag) + " old when they arrive";
    }
    if (paused && light != Light.BAD) {
      light = Light.WAIT;
      note = "";
    }
    if (s.exemplars.get() > 0) {
      note +=
          (note.isEmpty() ? "" : "; ")
              + Counts.of(s.exemplars.get(), "exemplar")
              + " without a trace, not stored";
    }
    var how = s.key.way().words;
    if (!s.key.token().equals(s.name())) {
      how += ", token " + s.key.token();
    }
    long perMinute = s.perMinute(now);
    var row =
        new Row(
            s.name(),
            how,
            light.name().toLowerCase(Locale.ROOT),
            paused && light == Light.WAIT ? "paused" : light.words,
            strips.getOrDefault(id(s.key), Strips.View.NONE),
            perMinute == 0 ? "–" : "%,d".formatted(perMinute),
            events ? "–" : "%,d".formatted(s.series.get()),
            s.pace.last() == 0 ? "–" : age(now - s.pace.last()),
            note,
            page(s.key));
    // Events stay with events, whoever sends them.
    var category =
        events
            ? s.key.way().category
            : Way.Category.named(tokens.category(s.tokenId), s.key.way().category);
    return new Item(category, light, row, events ? 0 : perMinute, s.series.get());
  }

  /** Whether nothing comes because somebody paused it. */
  private boolean paused(SourceBook.Key key) {
    return switch (key.way()) {
      case SCRAPE -> jobs.isPaused(key.token());
      case CHECK -> checks.isPaused(key.token());
      default -> false;
    };
  }

  /** The page about a source. */
  private static String page(SourceBook.Key key) {
    return switch (key.way()) {
      case SCRAPE -> "/collect/jobs?job=" + key.token();
      case CHECK -> "/collect/checks?check=" + key.token();
      case COLLECTOR -> "/collect/collectors";
      default ->
          "/collect/source?token=%s&way=%s&service=%s"
              .formatted(encoded(key.token()), key.way().name(), encoded(key.service()));
    };
  }

  private static String encoded(String text) {
    return URLEncoder.encode(text, StandardCharsets.UTF_8);
  }

  private Item job(String name, Map<String, Strips.View> strips, long now) {
    var targets = jobs.health().stream().filter(h -> h.job().equals(name)).toList();
    var key = new SourceBook.Key(name, Way.SCRAPE, "");
    var sources = book.all().stream().filter(s -> same(s.key, key)).toList();
    long down = targets.stream().filter(ScrapeJobs.Health::down).count();
    boolean waits = targets.stream().allMatch(h -> h.at() == 0);
    long last = targets.stream().mapToLong(ScrapeJobs.Health::at).max().orElse(0);
    var light = waits ? Light.WAIT : down > 0 ? Light.BAD : Light.OK;
    var fault =
        targets.stream()
            .filter(ScrapeJobs.Health::down)
            .map(ScrapeJobs.Health::fault)
            .findFirst()
            .orElse("");
    int series = sources.stream().mapToInt(s -> s.series.get()).sum();
    long perMinute = sources.stream().mapToLong(s -> s.perMinute(now)).sum();
    var row =
        new Row(
            name,
            "%s, every %s"
                .formatted(
                    Counts.of(targets.size(), "target"), Durations.words(jobs.interval(name))),
            light.name().toLowerCase(Locale.ROOT),
            light.words,
            strips.getOrDefault(id(key), Strips.View.NONE),
            perMinute == 0 ? "–" : "%,d".formatted(perMinute),
            "%,d".formatted(series),
            last == 0 ? "–" : age(now - last),
            down == 0 ? "" : down + " of " + targets.size() + " down: " + fault,
            "/collect/jobs?job=" + name);
    return new Item(Way.Category.ENDPOINTS, light, row, perMinute, series);
  }

  /** How long ago, in whole seconds. */
  static String age(long ms) {
    long seconds = Math.max(0, ms) / Durations.SECOND;
    return seconds == 0 ? "now" : Durations.words(seconds * Durations.SECOND);
  }

  private static boolean same(SourceBook.Key a, SourceBook.Key b) {
    return a.way() == b.way() && a.token().equals(b.token());
  }

  private static Item external(ExternalStores.Known e) {
    boolean sql = e.form() == ExternalStores.Form.SQL;
    var light = e.checked().isEmpty() ? Light.OK : Light.BAD;
    var row =
        new Row(
            e.name(),
            sql ? "SQL, queried in place" : "Vintrel server, queried in place",
            light.name().toLowerCase(Locale.ROOT),
            light == Light.OK ? "reachable" : "unreachable",
            Strips.View.NONE,
            "–",
            "–",
            "–",
            e.checked(),
            "/collect/elsewhere");
    return new Item(Way.Category.DATABASES, light, row, 0, 0);
  }

  private static String id(SourceBook.Key key) {
    return key.token() + "\n" + key.way() + "\n" + key.service();
  }

  /** The strips of all sources over a range, from the server's own metrics. */
  private Map<String, Strips.View> strips(TimeText.Range range, long now) {
    var intervals = new HashMap<String, Long>();
    // Events come when something happens: their silence is no gap.
    book.all()
        .forEach(s -> intervals.put(id(s.key), s.key.way().isEvents() ? 0 : s.pace.interval()));
    return strips.of(
        "vintrel.source.samples in vintrel then increase",
        range,
        now,
        labels -> {
          var key = SourceBook.key(labels);
          return key == null ? null : id(key);
        },
        id -> intervals.getOrDefault(id, 0L));
  }
}
