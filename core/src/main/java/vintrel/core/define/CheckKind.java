package vintrel.core.define;

import com.google.re2j.Pattern;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.collect.Check;
import vintrel.core.define.Shape.Field;
import vintrel.core.unit.Durations;

/** {@code kind: check}. */
final class CheckKind implements Kind<Definition.OfCheck> {
  private static final String PLACE = "[A-Za-z0-9._:\\[\\]-]+:[0-9]{1,5}";
  static final Shape.Text HOST_PORT = new Shape.Text(300, PLACE, "must be HOST:PORT");
  static final Shape.Text HOST =
      new Shape.Text(253, "[A-Za-z0-9_.-]+", "must be the name of a host");
  static final Shape.Text HOST_MAYBE_PORT =
      new Shape.Text(300, "[A-Za-z0-9._:\\[\\]-]+", "must be HOST or HOST:PORT");
  static final Shape.Choice METHOD = new Shape.Choice(List.of("get", "head", "post", "options"));
  static final Shape.Choice RECORD =
      new Shape.Choice(List.of("a", "aaaa", "cname", "mx", "ns", "srv", "txt"));
  private static final int TLS_PORT = 443;
  private static final int MAX_PLACES = 20;

  /** Which fields belong to which probe alone. */
  private static final Map<String, List<String>> OWN =
      Map.of(
          "http",
              List.of(
                  "method", "headers", "status", "contains", "matches", "redirects", "days-left"),
          "tcp", List.of(),
          "dns", List.of("record", "answer"),
          "tls", List.of("days-left"),
          "sql", List.of("store", "min", "max"));

  private static final Shape.Fields SHAPE =
      new Shape.Fields(
              KIND,
              NAME,
              Field.of("title", Shape.text(200), "The name that people read. Default: the name."),
              Field.of("http", Checks.TARGET, "The address of a request."),
              Field.of("tcp", HOST_PORT, "A host and its port."),
              Field.of("dns", HOST, "A name to look up."),
              Field.of(
                  "tls", HOST_MAYBE_PORT, "A host whose certificate is read. Default port: 443."),
              Field.of("sql", Shape.text(20_000), "A statement that reads."),
              Field.of("every", new Shape.Duration(Durations.SECOND), "Time between two runs.")
                  .or("30s"),
              Field.of("timeout", new Shape.Duration(1), "Time until a run fails.").or("10s"),
              Field.of(
                      "max-duration",
                      new Shape.Duration(0),
                      "Maximum duration; a longer run fails. 0: no limit.")
                  .or("0s"),
              Field.of("method", METHOD, "http only.").or("get"),
              Field.of(
                      "headers",
                      new Shape.TextMap(),
                      "http only. Values are kept as secrets and replaced by references.")
                  .checked(Checks::headers),
              Field.of(
                  "status", Checks.STATUS, "http only: codes or classes that pass. Default: 2xx."),
              Field.of("contains", Shape.text(500), "http only: a text that the body must have.")
                  .or(""),
              Field.of("matches", Shape.text(500), "http only: a pattern (RE2) found in the body.")
                  .or("")
                  .checked(Checks::pattern),
              Field.of("redirects", new Shape.Whole(0, 20), "http only: how many are followed.")
                  .or(Check.Http.REDIRECTS),
              Field.of(
                      "days-left",
                      new Shape.Whole(0, 10_000),
                      "http and tls only: days for which the certificate must be valid.")
                  .or(0),
              Field.of("record", RECORD, "dns only.").or("a"),
              Field.of("answer", Shape.text(500), "dns only: an answer that must be there.").or(""),
              Field.of("store", Shape.text(40), "sql only: the SQL store that is queried.").or(""),
              Field.of("min", Shape.number(), "sql only: the minimum of the first number."),
              Field.of("max", Shape.number(), "sql only: the maximum of the first number."),
              Field.of("labels", new Shape.TextMap(), "Labels of its metrics.")
                  .checked(Checks::labels),
              Field.of(
                  "from",
                  new Shape.ListOf(
                      Shape.text(MAX_NAME), 1, MAX_PLACES, true, "names no place, or more than 20"),
                  "Where it runs: server, and names of configurations of collectors. Default:"
                      + " server."),
              Field.of("paused", new Shape.Truth(), "True if it does not run for now.").or(false))
          .oneOf("http", "tcp", "dns", "tls", "sql");

  @Override
  public String name() {
    return "check";
  }

  @Override
  public Shape.Fields shape() {
    return SHAPE;
  }

  @Override
  public Class<Definition.OfCheck> type() {
    return Definition.OfCheck.class;
  }

  @Override
  public Definition.OfCheck read(Node doc, String path, List<String> faults) {
    var kind = OWN.keySet().stream().filter(doc::has).findFirst().orElseThrow();
    foreign(kind, doc, path, faults);
    var probe = probe(kind, doc, path, faults);
    if (probe == null) {
      return null;
    }
    var from = doc.texts("from").isEmpty() ? Check.HERE : doc.texts("from");
    if (!from.equals(Check.HERE)) {
      elsewhere(probe, path, faults);
    }
    return new Definition.OfCheck(
        new Check(
            doc.text("name"),
            doc.text("title", doc.text("name")),
            probe,
            doc.duration("every"),
            doc.duration("timeout"),
            doc.duration("max-duration"),
            doc.textMap("labels"),
            from,
            doc.truth("paused")));
  }

  /** Says which fields belong to other probes. */
  static void foreign(String kind, Node doc, String path, List<String> faults) {
    OWN.forEach(
        (other, fields) ->
            fields.stream()
                .filter(f -> doc.has(f) && !OWN.get(kind).contains(f))
                .forEach(
                    f -> faults.add(path + "." + f + ": does not belong to checks of " + kind)));
  }

  /** What is probed, and the fields of such a probe alone. */
  static List<String> fields(String kind) {
    var out = new ArrayList<>(OWN.get(kind));
    out.add(kind);
    return out;
  }

  /** A collector has neither the server's stores nor its secrets. */
  private static void elsewhere(Check.Probe probe, String path, List<String> faults) {
    if (probe instanceof Check.Sql) {
      faults.add(path + ".from: a statement runs from the server alone");
    }
    if (probe instanceof Check.Http h && (!h.headers().isEmpty() || !h.address().equals(h.url()))) {
      faults.add(
          path
              + ".from: secrets don't leave the server, so a check with headers or a sign-in in its"
              + " address runs from there alone");
    }
  }

  /** Reads the probe of a document or an input that has the fields of a kind. */
  static Check.Probe probe(String kind, Node doc, String path, List<String> faults) {
    return switch (kind) {
      case "http" -> {
        if (!Checks.isUri(doc.text("http"))) {
          faults.add(path + ".http: is not an http or https address");
        }
        var status = doc.texts("status");
        yield new Check.Http(
            doc.text("http"),
            doc.text("method"),
            doc.textMap("headers"),
            status.isEmpty() ? Check.Http.ANY_2XX : status,
            doc.text("contains"),
            doc.text("matches").isEmpty() ? null : Pattern.compile(doc.text("matches")),
            (int) doc.number("redirects"),
            (int) doc.number("days-left"));
      }
      case "tcp" -> {
        var place = place(doc.text("tcp"), 0, path + ".tcp", faults);
        yield place == null ? null : new Check.Tcp(place.host(), place.port());
      }
      case "tls" -> {
        var place = place(doc.text("tls"), TLS_PORT, path + ".tls", faults);
        yield place == null
            ? null
            : new Check.Tls(place.host(), place.port(), (int) doc.number("days-left"));
      }
      case "dns" ->
          new Check.Dns(
              doc.text("dns"),
              doc.text("record").toUpperCase(java.util.Locale.ROOT),
              doc.text("answer"));
      default -> {
        if (doc.text("store").isEmpty()) {
          faults.add(path + ".store: is missing");
        }
        yield new Check.Sql(
            doc.text("store"),
            doc.text("sql"),
            doc.has("min") ? (Double) doc.number("min") : null,
            doc.has("max") ? (Double) doc.number("max") : null);
      }
    };
  }

  private record Place(String host, int port) {}

  /** HOST:PORT; an IPv6 address stands in brackets. */
  private static Place place(String text, int usual, String path, List<String> faults) {
    int colon = text.lastIndexOf(':');
    boolean hasPort =
        colon > 0
            && colon > text.lastIndexOf(']')
            && text.substring(colon + 1).matches("[0-9]{1,5}");
    var host = hasPort ? text.substring(0, colon) : text;
    int port = hasPort ? Integer.parseInt(text.substring(colon + 1)) : usual;
    boolean bracketed = host.startsWith("[") && host.endsWith("]");
    var bare = bracketed ? host.substring(1, host.length() - 1) : host;
    if (port < 1 || port > 65_535) {
      faults.add(path + ": the port must be from 1 to 65,535");
      return null;
    }
    if (bare.isEmpty()
        || !bracketed && bare.contains(":")
        || bare.contains("[")
        || bare.contains("]")) {
      faults.add(path + ": the host of the address is not valid");
      return null;
    }
    return new Place(bare, port);
  }

  private static String text(String host, int port) {
    return (host.contains(":") ? "[" + host + "]" : host) + ":" + port;
  }

  @Override
  public Map<String, Object> write(Definition.OfCheck definition) {
    var check = definition.check();
    var out = new LinkedHashMap<String, Object>();
    Kinds.put(out, "title", check.title(), check.name());
    var after = new LinkedHashMap<String, Object>();
    write(check.probe(), out, after);
    Kinds.put(out, "every", Durations.text(check.every()), "30s");
    Kinds.put(out, "timeout", Durations.text(check.timeout()), "10s");
    Kinds.put(out, "max-duration", Durations.text(check.maxDuration()), "0s");
    out.putAll(after);
    Kinds.put(out, "labels", new TreeMap<>(check.labels()), Map.of());
    Kinds.put(out, "from", check.from(), Check.HERE);
    Kinds.put(out, "paused", check.paused(), false);
    return out;
  }

  /**
   * Puts what is probed, and its own fields.
   *
   * @param out gets what is probed
   * @param after gets the rest
   */
  static void write(Check.Probe probe, Map<String, Object> out, Map<String, Object> after) {
    switch (probe) {
      case Check.Http h -> {
        out.put("http", h.url());
        Kinds.put(after, "method", h.method(), "get");
        Kinds.put(after, "headers", new TreeMap<>(h.headers()), Map.of());
        Kinds.put(after, "status", h.status(), Check.Http.ANY_2XX);
        Kinds.put(after, "contains", h.contains(), "");
        Kinds.put(after, "matches", h.matches() == null ? "" : h.matches().pattern(), "");
        Kinds.put(after, "redirects", h.redirects(), Check.Http.REDIRECTS);
        Kinds.put(after, "days-left", h.daysLeft(), 0);
      }
      case Check.Tcp t -> out.put("tcp", text(t.host(), t.port()));
      case Check.Tls t -> {
        out.put("tls", text(t.host(), t.port()));
        Kinds.put(after, "days-left", t.daysLeft(), 0);
      }
      case Check.Dns d -> {
        out.put("dns", d.host());
        Kinds.put(after, "record", d.record().toLowerCase(java.util.Locale.ROOT), "a");
        Kinds.put(after, "answer", d.answer(), "");
      }
      case Check.Sql s -> {
        out.put("sql", s.statement());
        out.put("store", s.store());
        Kinds.put(after, "min", s.min(), null);
        Kinds.put(after, "max", s.max(), null);
      }
    }
  }

  @Override
  public Map<String, Object> example() {
    return Documents.map(
        """
        kind: check
        name: booking-page
        title: Booking page
        http: https://booking.marrowsound.example/
        every: 30s
        max-duration: 1s
        status: [2xx]
        contains: Sailings
        days-left: 21
        labels: {site: north-quay}
        """);
  }
}
