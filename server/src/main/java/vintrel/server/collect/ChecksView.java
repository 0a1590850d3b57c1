package vintrel.server.collect;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import vintrel.core.collect.Check;
import vintrel.core.collect.Finding;
import vintrel.core.collect.Verdict;
import vintrel.core.define.Definition;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.server.ask.Queries;
import vintrel.server.define.Definitions;

/** What the page Checks shows. */
@Component
class ChecksView {
  private static final DateTimeFormatter TIME = DateTimeFormatter.ofPattern("EEE HH:mm", Locale.UK);
  private static final long COLUMN_MS = 2 * Durations.HOUR;
  private static final int COLUMNS = 84;

  /** A check that is not known here is silent after this, ms. */
  private static final long PATIENCE_MS = 10 * Durations.MINUTE;

  private static final int WIDTH = 252;
  private static final int HEIGHT = 16;
  private static final double BAR = 600;
  private static final double STEP = 96;

  private final Definitions definitions;
  private final Checks checks;
  private final RemoteChecks remote;
  private final CollectorTexts collectors;
  private final Queries queries;
  private final Clock clock;

  ChecksView(
      Definitions definitions,
      Checks checks,
      RemoteChecks remote,
      CollectorTexts collectors,
      Queries queries,
      Clock clock) {
    this.definitions = definitions;
    this.checks = checks;
    this.remote = remote;
    this.collectors = collectors;
    this.queries = queries;
    this.clock = clock;
  }

  /**
   * The last week of a check.
   *
   * @param line how long it took, as a path
   * @param failed columns in which it failed, as a path
   */
  public record Week(String line, String failed) {
    static final Week NONE = new Week("", "");
  }

  /** A step of a run as a bar: its place and width, of {@link #BAR}. */
  public record Part(String name, String took, double x, double width, boolean longest) {}

  /**
   * A check.
   *
   * @param light ok, bad or wait
   * @param from the site that it runs from
   * @param here whether this server runs it
   * @param own whether it is defined here and can be edited
   */
  public record Row(
      String name,
      String title,
      String kind,
      String address,
      String every,
      String light,
      String state,
      Week week,
      String now,
      String found,
      String from,
      boolean here,
      boolean own,
      boolean paused) {}

  /**
   * A check of the same host.
   *
   * @param what reachability or health
   */
  public record Sibling(String name, String title, String what, String light, String found) {}

  /**
   * The chosen check.
   *
   * @param rule the name of a rule that watches it, or empty
   * @param silence time without a run that the proposed rule allows
   */
  public record Chosen(
      Row row,
      String text,
      int version,
      String by,
      String since,
      List<Part> parts,
      List<Sibling> siblings,
      String rule,
      String silence) {}

  public record View(List<Arrivals.Part> sentence, List<Row> rows, Chosen chosen, boolean sites) {}

  View of(String name, ZoneId zone) {
    long now = clock.millis();
    var weeks = weeks(now);
    var rows = new ArrayList<Row>();
    var heard = remote.all(now);
    var at = remote.configurations();
    for (var d : definitions.checks()) {
      if (d.check().isHere()) {
        rows.add(row(d.check(), weeks, now));
      }
      var of = heard.remove(d.check().name());
      elsewhere(d.check(), of == null ? List.of() : of, at, weeks, now, rows);
    }
    // Of those that are not defined here nobody says when they end.
    heard.values().stream()
        .flatMap(List::stream)
        .filter(h -> now - h.at() < Durations.DAY)
        .forEach(h -> rows.add(row(null, h, weeks, now)));
    rows.sort(
        Comparator.comparing((Row r) -> !r.light().equals("bad"))
            .thenComparing(Row::paused)
            .thenComparing(r -> r.title().toLowerCase(Locale.ROOT)));
    Chosen chosen = null;
    if (definitions.find("check", name) != null) {
      var row = rows.stream().filter(r -> r.own() && r.name().equals(name)).findFirst();
      chosen = chosen(row.orElseThrow(), rows, zone);
    }
    return new View(sentence(rows), rows, chosen, rows.stream().anyMatch(r -> !r.here()));
  }

  private static List<Arrivals.Part> sentence(List<Row> rows) {
    // One that runs from several sites passes if it does from all.
    var running = names(rows, r -> !r.paused());
    int bad = names(rows, r -> r.light().equals("bad")).size();
    var others = names(rows, r -> !r.paused() && !r.light().equals("ok"));
    long ok = running.stream().filter(name -> !others.contains(name)).count();
    var out = new ArrayList<Arrivals.Part>();
    out.add(new Arrivals.Part("%,d of %s".formatted(ok, Counts.of(running.size(), "check")), "b"));
    out.add(new Arrivals.Part(ok == 1 ? " passes." : " pass.", ""));
    if (bad > 0) {
      var first = rows.getFirst();
      out.add(
          new Arrivals.Part(
              bad == 1 ? " " + first.title() + " fails." : " %,d fail.".formatted(bad), "bad"));
    }
    long waiting = running.size() - ok - bad;
    if (waiting > 0) {
      out.add(new Arrivals.Part(" %,d not run yet.".formatted(waiting), ""));
    }
    return out;
  }

  private static Set<String> names(List<Row> rows, Predicate<Row> which) {
    return rows.stream().filter(which).map(Row::name).collect(Collectors.toSet());
  }

  private Row row(Check check, Map<String, Week> weeks, long now) {
    var state = checks.state(check.name());
    boolean passes = state != null && state.verdict().passed();
    var light = check.paused() || state == null ? "wait" : passes ? "ok" : "bad";
    var words =
        check.paused() ? "paused" : state == null ? "not run yet" : passes ? "passes" : "fails";
    var figure = "–";
    if (state != null && !check.paused()) {
      figure =
          check.probe() instanceof Check.Tls && !Double.isNaN(state.verdict().daysLeft())
              ? Counts.of((long) Math.floor(state.verdict().daysLeft()), "day")
              : Verdict.duration(state.finding().millis());
    }
    return new Row(
        check.name(),
        check.title(),
        check.probe().kind().toUpperCase(Locale.ROOT),
        check.probe().address().replaceFirst("^https?://", ""),
        Durations.words(check.every()),
        light,
        words,
        weeks.getOrDefault(check.name() + " " + checks.site(), Week.NONE),
        figure,
        check.paused() ? "paused" : state == null ? "" : state.verdict().found(),
        checks.site(),
        true,
        true,
        check.paused());
  }

  /**
   * The rows of a check at collectors: where it was heard from, and where it is waited for.
   *
   * @param at the configurations of collectors by place
   */
  private void elsewhere(
      Check check,
      List<RemoteChecks.Heard> heard,
      Map<String, Set<String>> at,
      Map<String, Week> weeks,
      long now,
      List<Row> rows) {
    var places = check.from().stream().filter(p -> !p.equals(Check.SERVER)).toList();
    if (!places.isEmpty()) {
      heard.forEach(h -> rows.add(row(check, h, weeks, now)));
    }
    places.stream()
        .filter(p -> heard.stream().noneMatch(h -> at.getOrDefault(h.from(), Set.of()).contains(p)))
        .forEach(p -> rows.add(awaited(check, p)));
  }

  private Row awaited(Check check, String place) {
    var found =
        definitions.find("collector", place) == null
            ? "there is no configuration " + place
            : collectors.isTaken(check, place)
                ? "an input of " + place + " has this name already"
                : "no collector runs it yet";
    return new Row(
        check.name(),
        check.title(),
        check.probe().kind().toUpperCase(Locale.ROOT),
        check.probe().address().replaceFirst("^https?://", ""),
        Durations.words(check.every()),
        "wait",
        check.paused() ? "paused" : "not run yet",
        Week.NONE,
        check.paused() ? "paused" : "–",
        check.paused() ? "paused" : found,
        place,
        false,
        true,
        check.paused());
  }

  /**
   * @param check null if it is not defined here
   */
  private Row row(Check check, RemoteChecks.Heard heard, Map<String, Week> weeks, long now) {
    boolean paused = check != null && check.paused();
    long patience = check == null ? PATIENCE_MS : ChecksController.silence(check);
    boolean silent = now - heard.at() > patience;
    var light = paused ? "wait" : silent ? "late" : heard.passed() ? "ok" : "bad";
    var words = paused ? "paused" : silent ? "no results" : heard.passed() ? "passes" : "fails";
    var figure =
        paused || silent || Double.isNaN(heard.seconds())
            ? paused ? "paused" : "–"
            : Verdict.duration(heard.seconds() * 1000);
    var found =
        paused
            ? "paused"
            : silent
                ? "no result for " + Durations.words(now - heard.at())
                : remote.found(heard, now);
    return new Row(
        heard.check(),
        check == null ? heard.check() : check.title(),
        heard.kind().toUpperCase(Locale.ROOT),
        check == null ? "" : check.probe().address().replaceFirst("^https?://", ""),
        check == null ? "" : Durations.words(check.every()),
        light,
        words,
        weeks.getOrDefault(heard.check() + " " + heard.from(), Week.NONE),
        figure,
        found,
        heard.from(),
        false,
        check != null,
        paused);
  }

  private Chosen chosen(Row row, List<Row> rows, ZoneId zone) {
    var stored = definitions.find("check", row.name());
    var check = ((Definition.OfCheck) stored.definition()).check();
    var state = checks.state(row.name());
    var since =
        state == null
            ? ""
            : (state.verdict().passed() ? "Passes since " : "Fails since ")
                + TIME.format(Instant.ofEpochMilli(state.since()).atZone(zone));
    var host = host(check.probe());
    var siblings = new ArrayList<Sibling>();
    for (var d : definitions.checks()) {
      var other = d.check();
      if (!host.isEmpty() && host.equals(host(other.probe()))) {
        var of = rows.stream().filter(r -> r.name().equals(other.name())).findFirst().orElseThrow();
        siblings.add(
            new Sibling(
                of.name(),
                of.title(),
                other.probe() instanceof Check.Http ? "health" : "reachability",
                of.light(),
                of.found().isEmpty() ? of.state() : of.found()));
      }
    }
    siblings.sort(Comparator.comparing(Sibling::what).reversed().thenComparing(Sibling::title));
    return new Chosen(
        row,
        stored.text(),
        stored.version(),
        stored.by(),
        since,
        state == null ? List.of() : parts(state.finding()),
        siblings.size() > 1 ? siblings : List.of(),
        rule(row.name()),
        Durations.words(ChecksController.silence(check)));
  }

  /** The host that a probe asks, without its port. */
  private static String host(Check.Probe probe) {
    return switch (probe) {
      case Check.Http h -> {
        try {
          var host = java.net.URI.create(h.url()).getHost();
          yield host == null ? "" : host;
        } catch (IllegalArgumentException e) {
          yield "";
        }
      }
      case Check.Tcp t -> t.host();
      case Check.Tls t -> t.host();
      case Check.Dns d -> d.host();
      case Check.Sql s -> "";
    };
  }

  private String rule(String check) {
    var condition = "check = '" + check + "'";
    return definitions.rules().stream()
        .filter(r -> r.query().contains(condition))
        .map(r -> r.name())
        .findFirst()
        .orElse("");
  }

  /** Each step has room for its name; the rest of the bar is parted by time. */
  static List<Part> parts(Finding finding) {
    var phases = finding.phases();
    double all = finding.millis();
    double longest = phases.stream().mapToDouble(Finding.Phase::millis).max().orElse(0);
    double rest = BAR - phases.size() * STEP;
    double x = 0;
    var out = new ArrayList<Part>();
    for (var p : phases) {
      double width = STEP + (all > 0 ? rest * p.millis() / all : 0);
      out.add(
          new Part(p.name(), Verdict.duration(p.millis()), x, width - 2, p.millis() == longest));
      x += width;
    }
    return out;
  }

  /** Weeks by check and site, from the metrics of checks. */
  private Map<String, Week> weeks(long now) {
    long to = now - Math.floorMod(now, COLUMN_MS) + COLUMN_MS;
    var range = new TimeText.Range(to - COLUMNS * COLUMN_MS, to);
    var out = new HashMap<String, Week>();
    try {
      var up = values("check.up then mean", range);
      var durations = values("check.duration then mean", range);
      up.forEach(
          (key, values) ->
              out.put(key, week(values, durations.getOrDefault(key, new double[values.length]))));
    } catch (QueryException e) {
      // Before the first run there are no metrics.
      return out;
    }
    return out;
  }

  private Map<String, double[]> values(String query, TimeText.Range range) {
    var text = query + " every " + Durations.text(COLUMN_MS);
    var out = new HashMap<String, double[]>();
    for (var frame :
        queries.answer(new Queries.Ask(text, range, COLUMNS).step(COLUMN_MS)).frames()) {
      for (var n : frame.numbers()) {
        var key = n.labels().get("check") + " " + n.labels().get("from");
        out.merge(key, n.values().clone(), ChecksView::filled);
      }
    }
    return out;
  }

  /** A check whose labels changed has several series. */
  private static double[] filled(double[] a, double[] b) {
    for (int i = 0; i < a.length; i++) {
      a[i] = Double.isNaN(a[i]) ? b[i] : a[i];
    }
    return a;
  }

  private static Week week(double[] up, double[] durations) {
    double max = 0;
    for (double d : durations) {
      max = Double.isFinite(d) ? Math.max(max, d) : max;
    }
    var line = new StringBuilder();
    var failed = new StringBuilder();
    boolean joined = false;
    double width = (double) WIDTH / up.length;
    for (int i = 0; i < up.length; i++) {
      double x = (i + 0.5) * width;
      if (up[i] < 1) {
        double height = Math.max(5, HEIGHT * (1 - up[i]));
        failed.append(String.format(Locale.ROOT, "M%.1f %dV%.1f", x, HEIGHT, HEIGHT - height));
      }
      boolean there = i < durations.length && Double.isFinite(durations[i]) && max > 0;
      if (there) {
        // The scale begins at 0, so that what is steady looks steady.
        double y = HEIGHT - 1 - durations[i] / max * (HEIGHT - 3);
        line.append(String.format(Locale.ROOT, "%s%.1f %.1f", joined ? "L" : "M", x, y));
        line.append(joined ? "" : "h0.1");
      }
      joined = there;
    }
    return new Week(line.toString(), failed.toString());
  }
}
