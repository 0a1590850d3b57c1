package vintrel.server.collect;

import java.util.List;
import vintrel.core.collect.Check;
import vintrel.core.unit.Durations;

/** A check as its form has it: texts. */
public record CheckForm(
    String kind,
    String name,
    String title,
    String address,
    String statement,
    String every,
    String timeout,
    String maxDuration,
    String verb,
    String headers,
    String status,
    String contains,
    String pattern,
    String redirects,
    String daysLeft,
    String record,
    String answer,
    String store,
    String min,
    String max,
    String labels,
    List<String> from,
    Boolean paused) {
  /** Fields that a request leaves out are empty. */
  public CheckForm {
    kind = text(kind);
    name = text(name);
    title = text(title);
    address = text(address);
    statement = text(statement);
    every = text(every);
    timeout = text(timeout);
    maxDuration = text(maxDuration);
    verb = text(verb);
    headers = text(headers);
    status = text(status);
    contains = text(contains);
    pattern = text(pattern);
    redirects = text(redirects);
    daysLeft = text(daysLeft);
    record = text(record);
    answer = text(answer);
    store = text(store);
    min = text(min);
    max = text(max);
    labels = text(labels);
    from = from == null ? List.of() : List.copyOf(from);
    paused = Boolean.TRUE.equals(paused);
  }

  private static String text(String given) {
    return given == null ? "" : given;
  }

  static CheckForm empty(String kind, String address) {
    return new CheckForm(
        kind,
        "",
        "",
        address,
        "",
        "30s",
        "10s",
        "",
        "get",
        "",
        "2xx",
        "",
        "",
        "5",
        kind.equals("tls") ? "21" : "",
        "a",
        "",
        "",
        "",
        "",
        "",
        Check.HERE,
        false);
  }

  static CheckForm of(Check check) {
    var http = check.probe() instanceof Check.Http h ? h : null;
    var dns = check.probe() instanceof Check.Dns d ? d : null;
    var sql = check.probe() instanceof Check.Sql s ? s : null;
    int days =
        http != null ? http.daysLeft() : check.probe() instanceof Check.Tls t ? t.daysLeft() : 0;
    return new CheckForm(
        check.probe().kind(),
        check.name(),
        check.title(),
        http != null
            ? http.url()
            : dns != null ? dns.host() : sql != null ? "" : check.probe().address(),
        sql == null ? "" : sql.statement(),
        Durations.text(check.every()),
        Durations.text(check.timeout()),
        check.maxDuration() == 0 ? "" : Durations.text(check.maxDuration()),
        http == null ? "get" : http.method(),
        http == null ? "" : JobForm.lines(http.headers(), ": "),
        http == null ? "2xx" : String.join(" ", http.status()),
        http == null ? "" : http.contains(),
        http == null || http.matches() == null ? "" : http.matches().pattern(),
        http == null ? "5" : String.valueOf(http.redirects()),
        days == 0 ? "" : String.valueOf(days),
        dns == null ? "a" : dns.record().toLowerCase(java.util.Locale.ROOT),
        dns == null ? "" : dns.answer(),
        sql == null ? "" : sql.store(),
        sql == null || sql.min() == null ? "" : plain(sql.min()),
        sql == null || sql.max() == null ? "" : plain(sql.max()),
        JobForm.lines(check.labels(), "="),
        check.from(),
        check.paused());
  }

  private static String plain(double v) {
    return v == Math.rint(v) && Math.abs(v) < 1e15 ? String.valueOf((long) v) : String.valueOf(v);
  }

  CheckForm named(String other) {
    return new CheckForm(
        kind,
        other,
        title,
        address,
        statement,
        every,
        timeout,
        maxDuration,
        verb,
        headers,
        status,
        contains,
        pattern,
        redirects,
        daysLeft,
        record,
        answer,
        store,
        min,
        max,
        labels,
        from,
        paused);
  }

  /** The document that it stands for, and what can't be read of it. */
  FormDocument document() {
    var out = new FormDocument("check", name);
    out.text("title", title);
    var what = kind.equals("sql") ? statement : address;
    if (what == null || what.isBlank()) {
      out.fault(kind, "is missing");
    }
    out.text(kind, what);
    out.text("every", every);
    out.text("timeout", timeout);
    out.text("max-duration", maxDuration);
    switch (kind) {
      case "http" -> {
        out.text("method", verb);
        out.map("headers", headers, ':');
        out.list("status", status == null ? "" : status.replaceAll("[,\\s]+", "\n"));
        out.text("contains", contains);
        out.text("matches", pattern);
        out.number("redirects", redirects);
        out.number("days-left", daysLeft);
      }
      case "tls" -> out.number("days-left", daysLeft);
      case "dns" -> {
        out.text("record", record);
        out.text("answer", answer);
      }
      case "sql" -> {
        out.text("store", store);
        out.number("min", min);
        out.number("max", max);
      }
      default -> {
        // A connection has nothing more.
      }
    }
    out.map("labels", labels, '=');
    if (from.isEmpty()) {
      out.fault("from", "select at least one location");
    } else if (!from.equals(Check.HERE)) {
      out.put("from", from);
    }
    if (paused) {
      out.put("paused", true);
    }
    return out;
  }
}
