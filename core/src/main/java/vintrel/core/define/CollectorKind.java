package vintrel.core.define;

import com.google.re2j.Pattern;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.collect.Check;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.collect.RewriteText;
import vintrel.core.define.Shape.Field;
import vintrel.core.unit.Durations;

/** {@code kind: collector}: also the file that a collector is started with. */
final class CollectorKind implements Kind<Definition.OfCollector> {
  private static final long QUEUE = 256_000_000;
  private static final int MAX_TEXT = 2_000;
  private static final long SPEED_BYTES = 10_000_000;

  /** Fields of all inputs. */
  private static final List<String> COMMON = List.of("input", "name", "every", "timeout", "labels");

  /** What the input check can probe. */
  private static final List<String> PROBES = List.of("http", "tcp", "dns", "tls");

  /** Which other fields an input can have. */
  private static final Map<String, List<String>> OWN = own();

  private static Map<String, List<String>> own() {
    var out = new LinkedHashMap<String, List<String>>();
    out.put("host", List.of("parts", "processes"));
    out.put(
        "http",
        List.of(
            "url",
            "headers",
            "status",
            "contains",
            "matches",
            "redirects",
            "days-left",
            "max-duration"));
    var check = new ArrayList<>(List.of("title", "max-duration"));
    PROBES.forEach(p -> check.addAll(CheckKind.fields(p)));
    out.put("check", List.copyOf(check));
    out.put("scrape", List.of("url", "headers", "rewrite"));
    out.put("command", List.of("run", "format", "metric", "values"));
    out.put("sql", List.of("url", "user", "password", "statement", "metric"));
    out.put(
        "mqtt", List.of("url", "user", "password", "topics", "qos", "topic", "metric", "values"));
    out.put("tail", List.of("files", "format", "pattern", "starts"));
    out.put("speed", List.of("download", "upload", "max-bytes"));
    return out;
  }

  /** Which of them it must have. */
  private static final Map<String, List<String>> NEEDED =
      Map.of(
          "http", List.of("url"),
          "scrape", List.of("url"),
          "command", List.of("run"),
          "sql", List.of("url", "statement", "metric"),
          "mqtt", List.of("url", "topics"),
          "tail", List.of("files"));

  /** How the address of an input begins; one that is in the environment is not looked at. */
  private record Address(String begins, String such) {
    boolean fits(String text) {
      return text.contains("${") || text.matches("(" + begins + ")\\S+");
    }
  }

  private static final Address PAGE = new Address("https?://", "http://nq-gate-1:9100/metrics");
  private static final Map<String, Address> ADDRESSES =
      Map.of(
          "http",
          PAGE,
          "scrape",
          PAGE,
          "sql",
          new Address("jdbc:", "jdbc:postgresql://nq-db-1/manifest"),
          "mqtt",
          new Address("(mqtts?|tcp|ssl|wss?)://", "mqtt://nq-queue-1:1883"));

  private static Shape.ListOf texts(int max, String fault) {
    return new Shape.ListOf(Shape.text(MAX_TEXT), 1, max, true, fault);
  }

  private static Field any(String name, String about) {
    return Field.of(name, Shape.text(MAX_TEXT), about).or("");
  }

  private static final Shape.Fields INPUT =
      new Shape.Fields(
          Field.of(
                  "input",
                  new Shape.Choice(List.copyOf(OWN.keySet())),
                  "What is read; the other fields depend on it.")
              .needed(),
          Field.of(
              "name",
              new Shape.Text(
                  MAX_NAME,
                  "[a-z0-9][a-z0-9-]{0,79}",
                  "must use lower-case letters, digits and hyphens only, at most 80"),
              "Unique within the file. Default: the input and its number."),
          Field.of(
              "every",
              new Shape.Duration(Durations.SECOND),
              "Time between two readings. Default: that of the file."),
          Field.of("timeout", new Shape.Duration(1), "Timeout.").or("10s"),
          Field.of("labels", new Shape.TextMap(), "Labels of its samples.").checked(Checks::labels),
          Field.of(
              "parts",
              new Shape.ListOf(
                  new Shape.Choice(CollectorConfig.Host.PARTS), 1, 5, true, "names no part"),
              "host only: what is read. Default: all."),
          Field.of(
              "processes",
              texts(100, "names no program, or more than 100"),
              "host only: programs whose processes are counted and measured."),
          Field.of("title", Shape.text(200), "check only: the name that people read.").or(""),
          Field.of("http", Checks.TARGET, "check only: the address of a request."),
          Field.of("tcp", CheckKind.HOST_PORT, "check only: a host and its port."),
          Field.of("dns", CheckKind.HOST, "check only: a name to look up."),
          Field.of(
              "tls", CheckKind.HOST_MAYBE_PORT, "check only: a host whose certificate is read."),
          Field.of("method", CheckKind.METHOD, "check with http only.").or("get"),
          Field.of("record", CheckKind.RECORD, "check with dns only.").or("a"),
          any("answer", "check with dns only: an answer that must be there."),
          any("url", "http, scrape, sql and mqtt only: the address."),
          Field.of("headers", new Shape.TextMap(), "http and scrape only: sent with each request.")
              .checked(Checks::headers),
          Field.of("status", Checks.STATUS, "http only: codes or classes that pass. Default: 2xx."),
          any("contains", "http only: a text that the body must have."),
          any("matches", "http only: a pattern (RE2) found in the body.").checked(Checks::pattern),
          Field.of("redirects", new Shape.Whole(0, 20), "http only: how many are followed.")
              .or(Check.Http.REDIRECTS),
          Field.of(
                  "days-left",
                  new Shape.Whole(0, 10_000),
                  "http only: days for which the certificate must be valid.")
              .or(0),
          Field.of("max-duration", new Shape.Duration(0), "http only: a longer run fails; 0: any.")
              .or("0s"),
          Field.of("rewrite", Checks.REWRITE, "scrape only: steps as scrape jobs have them."),
          Field.of(
              "run",
              texts(100, "names no program, or has more than 100 arguments"),
              "command only: the program and its arguments."),
          Field.of(
              "format",
              new Shape.Choice(List.of("exit", "numbers", "json", "lines", "pattern")),
              "command only: exit, numbers or json. Of tail: lines, json or pattern."),
          any("metric", "command, sql and mqtt only: the name of a number that has none."),
          Field.of(
              "values",
              new Shape.TextMap(),
              "command and mqtt only: metrics and the paths of their values in JSON."),
          any("statement", "sql only: a statement that reads."),
          any("user", "sql and mqtt only."),
          any("password", "sql and mqtt only, as ${NAME} of the environment."),
          Field.of(
              "topics",
              texts(100, "names no topic, or more than 100"),
              "mqtt only: filters, with + and #."),
          Field.of(
                  "qos",
                  new Shape.Whole(0, 1),
                  "mqtt only: 1 keeps messages at the broker while the collector is away; 0 loses"
                      + " them.")
              .or(1),
          any(
              "topic",
              "mqtt only: a pattern such as quay/{gate}/scanner; its parts become labels."),
          Field.of(
              "files",
              texts(100, "names no file, or more than 100"),
              "tail only: paths; the name of a file may hold *."),
          any("pattern", "tail only: what a line is made of (RE2), with named groups.")
              .checked(Checks::pattern),
          any("starts", "tail only: how the first line of a record begins (RE2).")
              .checked(Checks::pattern),
          any("download", "speed only: an address to read."),
          any("upload", "speed only: an address to send to."),
          Field.of(
                  "max-bytes",
                  new Shape.Whole(1_000, 1_000_000_000),
                  "speed only: of one transfer.")
              .or((int) SPEED_BYTES));

  private static final Shape.Fields SHAPE =
      new Shape.Fields(
          KIND,
          NAME,
          Field.of("to", Shape.text(MAX_TEXT), "The server's address.").or(CollectorConfig.TO),
          Field.of("token", Shape.text(MAX_TEXT), "As ${NAME} of the environment.")
              .or(CollectorConfig.TOKEN),
          Field.of("every", new Shape.Duration(Durations.SECOND), "Time between two readings.")
              .or("10s"),
          Field.of("labels", new Shape.TextMap(), "Labels of all samples and events.")
              .checked(Checks::labels),
          Field.of(
                  "queue-bytes",
                  new Shape.Whole(100_000, 2_000_000_000),
                  "What may wait on disk while the server can't be reached.")
              .or((int) QUEUE),
          Field.of(
                  "fetch",
                  Shape.choice(CollectorConfig.Fetch.class),
                  "Whether it takes its inputs from the server: off, inputs (all but commands) or"
                      + " all.")
              .or("off"),
          Field.of(
              "variables",
              texts(100, "are too many"),
              "Names of the environment that inputs from the server may use as ${NAME}."),
          Field.of(
                  "inputs",
                  new Shape.ListOf(
                      INPUT,
                      1,
                      CollectorConfig.MAX_INPUTS,
                      false,
                      "has no input, or more than 1,000"),
                  "What is read.")
              .needed());

  @Override
  public String name() {
    return "collector";
  }

  @Override
  public Shape.Fields shape() {
    return SHAPE;
  }

  @Override
  public Class<Definition.OfCollector> type() {
    return Definition.OfCollector.class;
  }

  @Override
  public Definition.OfCollector read(Node doc, String path, List<String> faults) {
    var inputs = new ArrayList<CollectorConfig.Input>();
    var names = new HashSet<String>();
    var nodes = doc.objects("inputs");
    long every = doc.duration("every");
    for (int i = 0; i < nodes.size(); i++) {
      var at = path + ".inputs[" + i + "]";
      var input = input(nodes.get(i), i, every, at, faults);
      if (input != null) {
        inputs.add(input);
        if (!names.add(input.name())) {
          faults.add(at + ".name: two inputs can't have the same name, '" + input.name() + "'");
        }
      }
    }
    return new Definition.OfCollector(
        new CollectorConfig(
            doc.text("name"),
            doc.text("to"),
            doc.text("token"),
            every,
            doc.textMap("labels"),
            (long) doc.number("queue-bytes"),
            doc.choice("fetch", CollectorConfig.Fetch.class),
            doc.texts("variables"),
            inputs));
  }

  private static CollectorConfig.Input input(
      Node in, int number, long every, String at, List<String> faults) {
    var kind = in.text("input");
    int before = faults.size();
    for (var field : in.map().keySet()) {
      if (!COMMON.contains(field) && !OWN.get(kind).contains(field)) {
        faults.add(at + "." + field + ": does not belong to the input " + kind);
      }
    }
    for (var field : NEEDED.getOrDefault(kind, List.of())) {
      if (!in.has(field) || in.text(field).isEmpty()) {
        faults.add(at + "." + field + ": is missing for the input " + kind);
      }
    }
    for (var field : List.of("url", "download", "upload")) {
      var address = in.has(field) ? in.text(field) : "";
      var form = field.equals("url") ? ADDRESSES.get(kind) : ADDRESSES.get("http");
      if (form != null && !address.isEmpty() && !form.fits(address)) {
        faults.add(
            at + "." + field + ": '" + address + "' is not an address such as " + form.such());
      }
    }
    var source = faults.size() > before ? null : source(kind, in, at, faults);
    return source == null || faults.size() > before
        ? null
        : new CollectorConfig.Input(
            in.text("name", kind + "-" + (number + 1)),
            in.has("every") ? in.duration("every") : every,
            in.duration("timeout"),
            in.textMap("labels"),
            source);
  }

  private static CollectorConfig.Source source(
      String kind, Node in, String at, List<String> faults) {
    return switch (kind) {
      case "host" -> new CollectorConfig.Host(in.texts("parts"), in.texts("processes"));
      case "http" -> new CollectorConfig.Probing("", http(in), in.duration("max-duration"));
      case "check" -> check(in, at, faults);
      case "scrape" ->
          new CollectorConfig.Scrape(
              in.text("url"),
              in.textMap("headers"),
              Checks.rewrite(in.texts("rewrite"), at, faults));
      case "command" -> {
        var format = in.text("format", "exit");
        if (!List.of("exit", "numbers", "json").contains(format)) {
          faults.add(at + ".format: of a command is exit, numbers or json for the input command");
          yield null;
        }
        yield new CollectorConfig.Command(
            in.texts("run"),
            CollectorConfig.Format.valueOf(format.toUpperCase(Locale.ROOT)),
            in.text("metric"),
            in.textMap("values"));
      }
      case "sql" ->
          new CollectorConfig.Sql(
              in.text("url"),
              in.text("user"),
              in.text("password"),
              in.text("statement"),
              in.text("metric"));
      case "mqtt" ->
          new CollectorConfig.Mqtt(
              in.text("url"),
              in.text("user"),
              in.text("password"),
              in.texts("topics"),
              (int) in.number("qos"),
              in.text("topic"),
              in.text("metric"),
              in.textMap("values"));
      case "tail" -> tail(in, at, faults);
      default -> {
        if (in.text("download").isEmpty() && in.text("upload").isEmpty()) {
          faults.add(at + ": download or upload is missing for the input speed");
        }
        yield new CollectorConfig.Speed(
            in.text("download"), in.text("upload"), (long) in.number("max-bytes"));
      }
    };
  }

  private static CollectorConfig.Source check(Node in, String at, List<String> faults) {
    var given = PROBES.stream().filter(in::has).toList();
    if (given.size() != 1) {
      faults.add(at + ": needs one of http, tcp, dns and tls for the input check");
      return null;
    }
    var kind = given.getFirst();
    CheckKind.foreign(kind, in, at, faults);
    var probe = CheckKind.probe(kind, in, at, faults);
    return probe == null
        ? null
        : new CollectorConfig.Probing(in.text("title"), probe, in.duration("max-duration"));
  }

  private static Check.Http http(Node in) {
    var status = in.texts("status");
    return new Check.Http(
        in.text("url"),
        "get",
        in.textMap("headers"),
        status.isEmpty() ? Check.Http.ANY_2XX : status,
        in.text("contains"),
        compiled(in.text("matches")),
        (int) in.number("redirects"),
        (int) in.number("days-left"));
  }

  private static Pattern compiled(String text) {
    return text.isEmpty() ? null : Pattern.compile(text);
  }

  private static CollectorConfig.Source tail(Node in, String at, List<String> faults) {
    var format = in.text("format", in.text("pattern").isEmpty() ? "lines" : "pattern");
    if (!List.of("lines", "json", "pattern").contains(format)) {
      faults.add(at + ".format: is lines, json or pattern for the input tail");
      return null;
    }
    if (format.equals("pattern") == in.text("pattern").isEmpty()) {
      faults.add(at + ".pattern: belongs to the format pattern for the input tail");
      return null;
    }
    return new CollectorConfig.Tail(
        in.texts("files"),
        format.equals("json"),
        compiled(in.text("pattern")),
        compiled(in.text("starts")));
  }

  @Override
  public Map<String, Object> write(Definition.OfCollector definition) {
    var config = definition.config();
    var out = new LinkedHashMap<String, Object>();
    Kinds.put(out, "to", config.to(), CollectorConfig.TO);
    Kinds.put(out, "token", config.token(), CollectorConfig.TOKEN);
    Kinds.put(out, "every", Durations.text(config.every()), "10s");
    Kinds.put(out, "labels", new TreeMap<>(config.labels()), Map.of());
    Kinds.put(out, "queue-bytes", (int) config.queueBytes(), (int) QUEUE);
    Kinds.put(out, "fetch", Shape.word(config.fetch()), "off");
    Kinds.put(out, "variables", config.variables(), List.of());
    var inputs = new ArrayList<Map<String, Object>>();
    for (int i = 0; i < config.inputs().size(); i++) {
      inputs.add(write(config.inputs().get(i), i, config.every()));
    }
    out.put("inputs", inputs);
    return out;
  }

  private static Map<String, Object> write(CollectorConfig.Input input, int number, long every) {
    var out = new LinkedHashMap<String, Object>();
    var own = new LinkedHashMap<String, Object>();
    var kind = own(input.source(), own);
    out.put("input", kind);
    Kinds.put(out, "name", input.name(), kind + "-" + (number + 1));
    Kinds.put(out, "every", Durations.text(input.every()), Durations.text(every));
    Kinds.put(out, "timeout", Durations.text(input.timeout()), "10s");
    Kinds.put(out, "labels", new TreeMap<>(input.labels()), Map.of());
    out.putAll(own);
    return out;
  }

  /** Puts the fields of a source; gives its word. */
  private static String own(CollectorConfig.Source source, Map<String, Object> out) {
    switch (source) {
      case CollectorConfig.Host h -> {
        Kinds.put(out, "parts", h.parts(), List.of());
        Kinds.put(out, "processes", h.processes(), List.of());
        return "host";
      }
      case CollectorConfig.Probing c -> {
        var what = new LinkedHashMap<String, Object>();
        var after = new LinkedHashMap<String, Object>();
        CheckKind.write(c.probe(), what, after);
        boolean isPage =
            c.title().isEmpty() && c.probe() instanceof Check.Http h && h.method().equals("get");
        Kinds.put(out, "title", c.title(), "");
        what.forEach((field, v) -> out.put(isPage ? "url" : field, v));
        Kinds.put(out, "max-duration", Durations.text(c.maxDuration()), "0s");
        out.putAll(after);
        return isPage ? "http" : "check";
      }
      case CollectorConfig.Scrape s -> {
        out.put("url", s.url());
        Kinds.put(out, "headers", new TreeMap<>(s.headers()), Map.of());
        Kinds.put(
            out,
            "rewrite",
            s.rewrite().steps().stream().map(RewriteText::text).toList(),
            List.of());
        return "scrape";
      }
      case CollectorConfig.Command c -> {
        out.put("run", c.run());
        Kinds.put(out, "format", Shape.word(c.format()), "exit");
        Kinds.put(out, "metric", c.metric(), "");
        Kinds.put(out, "values", new TreeMap<>(c.values()), Map.of());
        return "command";
      }
      case CollectorConfig.Sql s -> {
        out.put("url", s.url());
        Kinds.put(out, "user", s.user(), "");
        Kinds.put(out, "password", s.password(), "");
        out.put("statement", s.statement());
        out.put("metric", s.metric());
        return "sql";
      }
      case CollectorConfig.Mqtt m -> {
        out.put("url", m.url());
        Kinds.put(out, "user", m.user(), "");
        Kinds.put(out, "password", m.password(), "");
        out.put("topics", m.topics());
        Kinds.put(out, "qos", m.qos(), 1);
        Kinds.put(out, "topic", m.topic(), "");
        Kinds.put(out, "metric", m.metric(), "");
        Kinds.put(out, "values", new TreeMap<>(m.values()), Map.of());
        return "mqtt";
      }
      case CollectorConfig.Tail t -> {
        out.put("files", t.files());
        if (t.json()) {
          out.put("format", "json");
        }
        Kinds.put(out, "pattern", text(t.pattern()), "");
        Kinds.put(out, "starts", text(t.starts()), "");
        return "tail";
      }
      case CollectorConfig.Speed s -> {
        Kinds.put(out, "download", s.download(), "");
        Kinds.put(out, "upload", s.upload(), "");
        Kinds.put(out, "max-bytes", (int) s.maxBytes(), (int) SPEED_BYTES);
        return "speed";
      }
    }
  }

  private static String text(Pattern pattern) {
    return pattern == null ? "" : pattern.pattern();
  }

  @Override
  public Map<String, Object> example() {
    return Documents.map(
        """
        kind: collector
        name: nq-db-1
        every: 10s
        labels: {site: north-quay}
        inputs:
        - input: host
          processes: [java, postgres]
        - input: sql
          name: sessions
          every: 30s
          url: jdbc:postgresql://localhost/manifest
          user: reader
          password: ${MANIFEST_PASSWORD}
          statement: select state, count(*) as sessions from sessions group by state
          metric: manifest.sessions
        - input: tail
          files: [/var/log/manifest/*.log]
          format: json
        """);
  }
}
