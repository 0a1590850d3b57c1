package vintrel.server.collect;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HexFormat;
import java.util.List;
import java.util.Locale;
import java.util.TreeMap;
import org.springframework.stereotype.Component;
import vintrel.core.define.Changes;
import vintrel.core.define.Definition;
import vintrel.core.series.Condition;
import vintrel.core.series.Series;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.server.define.Definitions;
import vintrel.server.define.Revision;

/** What the page Collectors shows: from the metrics that collectors send about themselves. */
@Component
class CollectorsView {
  /** A collector that says nothing for so long is late, ms: three of its reports. */
  private static final long LATE_MS = 30 * Durations.SECOND;

  /** One that was heard last before that is not shown. */
  private static final long GONE_MS = 7 * Durations.DAY;

  /** What was read so long ago and still waits is held back, s. */
  private static final double HELD_SECONDS = 30;

  private final Definitions definitions;
  private final CollectorTexts texts;
  private final SampleStore store;
  private final Clock clock;

  CollectorsView(Definitions definitions, CollectorTexts texts, SampleStore store, Clock clock) {
    this.definitions = definitions;
    this.texts = texts;
    this.store = store;
    this.clock = clock;
  }

  /**
   * A collector.
   *
   * @param light ok, late, bad or wait
   * @param config how its configuration stands to the one that is wanted
   * @param differs whether that needs a look
   */
  public record Row(
      String id,
      String host,
      String name,
      String version,
      String inputs,
      String light,
      String state,
      String config,
      boolean differs,
      String held,
      String dropped,
      String age,
      String hash,
      boolean fromServer) {}

  public record InputRow(String name, String light, String values, String took) {}

  /**
   * The chosen collector.
   *
   * @param text of the configuration that is wanted, or empty
   * @param changes from what runs to what is wanted, in words
   */
  public record Chosen(
      Row row, List<InputRow> inputs, String text, int version, String by, List<String> changes) {}

  /** A configuration that the server keeps, and how many collectors run it. */
  public record ConfigRow(String name, String inputs, String runs) {}

  public record View(
      List<Arrivals.Part> sentence, List<Row> rows, List<ConfigRow> configs, Chosen chosen) {}

  View of(String id) {
    long now = clock.millis();
    var rows = rows(now);
    var chosen = rows.stream().filter(r -> r.id().equals(id)).findFirst().map(r -> chosen(r, now));
    var configs =
        definitions.collectors().stream()
            .map(Definition.OfCollector::config)
            .map(
                c -> {
                  long n = rows.stream().filter(r -> r.name().equals(c.name())).count();
                  return new ConfigRow(
                      c.name(),
                      Counts.of(c.inputs().size(), "input"),
                      n == 0 ? "no collector" : Counts.of(n, "collector"));
                })
            .toList();
    return new View(sentence(rows), rows, configs, chosen.orElse(null));
  }

  private static List<Arrivals.Part> sentence(List<Row> rows) {
    long sending = rows.stream().filter(r -> r.light().equals("ok")).count();
    var versions = new TreeMap<String, Integer>();
    rows.forEach(r -> versions.merge(r.version(), 1, Integer::sum));
    var out = new ArrayList<Arrivals.Part>();
    out.add(
        new Arrivals.Part(
            "%,d of %s".formatted(sending, Counts.of(rows.size(), "collector")), "b"));
    out.add(new Arrivals.Part(sending == 1 ? " sends as usual." : " send as usual.", ""));
    if (versions.size() > 1) {
      var text = new ArrayList<String>();
      versions.descendingMap().forEach((v, n) -> text.add(n + " run " + v));
      out.add(new Arrivals.Part(" " + String.join(", ", text) + ".", ""));
    }
    long differ = rows.stream().filter(Row::differs).count();
    if (differ > 0) {
      out.add(
          new Arrivals.Part(
              differ == 1
                  ? " 1 configuration differs"
                  : " %,d configs need a look.".formatted(differ),
              "late"));
    }
    return out;
  }

  private List<Row> rows(long now) {
    var newest = new TreeMap<String, Series>();
    var times = new TreeMap<String, Long>();
    for (var s : store.select("", "collector.info", Condition.ALL)) {
      var last = store.before(s, now + 1);
      var host = s.labels().get("host");
      var name = s.labels().get("collector");
      if (last.isEmpty() || host == null || name == null || now - last.lastTime() > GONE_MS) {
        continue;
      }
      var id = host + "/" + name;
      if (last.lastTime() > times.getOrDefault(id, Long.MIN_VALUE)) {
        times.put(id, last.lastTime());
        newest.put(id, s);
      }
    }
    var out = new ArrayList<Row>();
    newest.forEach((id, s) -> out.add(row(id, s, times.get(id), now)));
    out.sort(
        Comparator.comparing((Row r) -> "bad late wait ok".indexOf(r.light()))
            .thenComparing(Row::host));
    return out;
  }

  private Row row(String id, Series info, long last, long now) {
    var host = info.labels().get("host");
    var name = info.labels().get("collector");
    var where = where(host, name);
    double lag = latest("collector.lag", where, now);
    double held = latest("collector.queue.size", where, now);
    double dropped = latest("collector.dropped", where, now);
    double exposed = latest("collector.exposed_secrets", where, now);
    long failing = states(host, name, now).stream().filter(i -> i.light().equals("bad")).count();
    boolean late = now - last > LATE_MS;
    boolean behind = lag > HELD_SECONDS;
    var light = late || behind ? "late" : failing > 0 ? "bad" : "ok";
    var state =
        late
            ? "no data"
            : behind ? "catching up" : failing > 0 ? failing + " inputs fail" : "sends";
    var hash = String.valueOf(info.labels().get("config"));
    boolean fromServer = "server".equals(info.labels().get("source"));
    var config = config(name, hash, fromServer);
    if (exposed > 0) {
      config = "its file contains a secret";
    }
    return new Row(
        id,
        host,
        name,
        String.valueOf(info.labels().get("version")),
        whole(latest("collector.inputs", where, now)),
        light,
        state,
        config,
        exposed > 0 || config.startsWith("runs"),
        held > 0 && behind ? Units.format(held, "By") : "–",
        Double.isNaN(dropped) || dropped == 0 ? "–" : whole(dropped),
        Arrivals.age(now - last),
        hash,
        fromServer);
  }

  private static Condition where(String host, String name) {
    return new Condition.And(
        List.of(
            Condition.Test.of("host", Condition.Operator.EQUAL, host),
            Condition.Test.of("collector", Condition.Operator.EQUAL, name)));
  }

  private static String whole(double v) {
    return Double.isNaN(v) ? "–" : String.format(Locale.ROOT, "%,d", (long) v);
  }

  /** How what runs stands to what is wanted. */
  private String config(String name, String hash, boolean fromServer) {
    var stored = definitions.find("collector", name);
    if (stored == null) {
      return hash.equals("none") ? "no file" : "its own file";
    }
    if (!fromServer) {
      return "local file; does not load this configuration";
    }
    if (hash.equals(hash(texts.withChecks(stored.text())))) {
      return "up to date";
    }
    var running = running(name, hash);
    return running == null
        ? "unknown configuration"
        : "outdated: runs version %d, current is %d".formatted(running.version(), stored.version());
  }

  private Revision running(String name, String hash) {
    return definitions.history("collector", name).stream()
        .filter(r -> !r.deleted())
        .filter(r -> hash(r.text()).equals(hash) || hash(texts.withChecks(r.text())).equals(hash))
        .findFirst()
        .orElse(null);
  }

  /** As collectors report it. */
  static String hash(String text) {
    try {
      var digest =
          MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8));
      return HexFormat.of().formatHex(digest).substring(0, 12);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }

  /** The latest value of a metric; NaN if there is none. */
  private double latest(String metric, Condition where, long now) {
    double value = Double.NaN;
    long time = Long.MIN_VALUE;
    for (var s : store.select("", metric, where)) {
      var last = store.before(s, now + 1);
      if (!last.isEmpty() && last.lastTime() > time) {
        time = last.lastTime();
        value = last.values()[last.count() - 1];
      }
    }
    return value;
  }

  private List<InputRow> states(String host, String name, long now) {
    var out = new ArrayList<InputRow>();
    for (var s : store.select("", "collector.input.up", where(host, name))) {
      var last = store.before(s, now + 1);
      var input = s.labels().get("input");
      if (last.isEmpty() || input == null || now - last.lastTime() > 6 * LATE_MS) {
        continue;
      }
      var where =
          new Condition.And(
              List.of(
                  where(host, name), Condition.Test.of("input", Condition.Operator.EQUAL, input)));
      double seconds = latest("collector.input.duration", where, now);
      out.add(
          new InputRow(
              input,
              last.values()[last.count() - 1] > 0 ? "ok" : "bad",
              whole(latest("collector.input.values", where, now)),
              Double.isNaN(seconds) ? "–" : vintrel.core.collect.Verdict.duration(seconds * 1000)));
    }
    out.sort(Comparator.comparing(InputRow::light).thenComparing(InputRow::name));
    return out;
  }

  private Chosen chosen(Row row, long now) {
    var stored = definitions.find("collector", row.name());
    var changes = new ArrayList<String>();
    var wanted = stored == null ? "" : texts.withChecks(stored.text());
    if (stored != null && row.fromServer() && !row.hash().equals(hash(wanted))) {
      var running = running(row.name(), row.hash());
      if (running != null) {
        Changes.between(running.text(), stored.text()).forEach(c -> changes.add(c.words()));
      }
    }
    return new Chosen(
        row,
        states(row.host(), row.name(), now),
        wanted,
        stored == null ? 0 : stored.version(),
        stored == null ? "" : stored.by(),
        changes);
  }
}
