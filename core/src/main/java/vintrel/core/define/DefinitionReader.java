package vintrel.core.define;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import vintrel.core.query.Parser;
import vintrel.core.query.QueryException;
import vintrel.core.series.Admission;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.tell.Channel;
import vintrel.core.tell.MessageText;
import vintrel.core.tell.Recipient;
import vintrel.core.tell.Route;
import vintrel.core.tell.RoutingTable;
import vintrel.core.unit.Spans;
import vintrel.core.watch.Limit;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Rule;

/** One document → definition; null where it has faults, which are added to the list. */
final class DefinitionReader {
  /** Characters of an address as deliveries keep it. */
  private static final int MOST_ADDRESS = 1_000;

  /** RFC 5321, 4.5.3.1: a path. */
  private static final int MOST_MAIL = 256;

  /** An address, or the reference to one that is kept as a secret. */
  private static final String ADDRESS = "(https?|secret)://[^\\s/]+.*";

  private DefinitionReader() {}

  /** Characters of a rule's texts. */
  static final Map<String, Integer> LONGEST =
      Map.of(
          "title", 200,
          "folder", 200,
          "description", 10_000,
          "unit", 100,
          "summary", 2_000,
          "runbook", 1_000,
          "owner", 200);

  /** Why a text can't be the link to a runbook, or null where it can. */
  static String runbookFault(String text) {
    return text.matches("https?://[^\\s\"'<>]+") ? null : "must be an http or https address";
  }

  private static boolean isUri(String text) {
    try {
      return java.net.URI.create(text).getHost() != null;
    } catch (IllegalArgumentException e) {
      return false;
    }
  }

  static Definition read(Map<?, ?> map, int number, List<String> faults) {
    int before = faults.size();
    var kind = String.valueOf(map.get("kind"));
    var name = map.get("name") == null ? "document " + number : map.get("name").toString();
    var spec = new Spec(map, kind + " " + name, faults);
    spec.need("kind");
    if (!spec.need("name").matches("[a-z0-9][a-z0-9-]{0,79}")) {
      spec.fault("name", "must be of small letters, digits and hyphens");
    }
    Definition out =
        switch (kind) {
          case "dashboard" -> dashboard(spec);
          case "rule" -> rule(spec);
          case "recipient" -> recipient(spec);
          case "routing" -> routing(spec);
          case "job" -> job(spec);
          default -> {
            spec.fault(
                "kind", "must be dashboard, rule, recipient, routing or job, not '" + kind + "'");
            yield null;
          }
        };
    if (out != null) {
      spec.done();
    }
    return faults.size() > before ? null : out;
  }

  private static Definition dashboard(Spec spec) {
    var controls = new ArrayList<Dashboard.Control>();
    for (var c : spec.objects("controls")) {
      var name = c.need("name");
      var title = c.text("title", name);
      controls.add(new Dashboard.Control(name, title, c.text("label", name), c.need("metric")));
      c.done();
    }
    var panels = new ArrayList<Dashboard.Panel>();
    var ids = new HashSet<String>();
    for (var p : spec.objects("panels")) {
      panels.add(panel(p, ids));
      p.done();
    }
    return new Definition.OfDashboard(
        new Dashboard(
            spec.need("name"),
            spec.need("title"),
            spec.text("folder", ""),
            List.copyOf(controls),
            List.copyOf(panels)));
  }

  private static Dashboard.Panel panel(Spec p, HashSet<String> ids) {
    var title = p.need("title");
    var id = p.text("id", panelId(title));
    if (!ids.add(id)) {
      p.fault("id", "two panels are called '" + id + "'");
    }
    var at = p.texts("at");
    int[] place = {1, 1, 6, 6};
    if (at.size() == 4 && at.stream().allMatch(t -> t.matches("\\d{1,3}"))) {
      for (int i = 0; i < 4; i++) {
        place[i] = Integer.parseInt(at.get(i));
      }
    } else {
      p.fault("at", "must be [column, row, width, height]");
    }
    if (place[0] < 1 || place[2] < 1 || place[0] + place[2] > 13 || place[3] < 1 || place[1] < 1) {
      p.fault("at", "must lie within 12 columns");
    }
    var limits = new ArrayList<Dashboard.LimitLine>();
    for (var l : p.objects("limits")) {
      var direction = l.has("above") ? "above" : "below";
      limits.add(
          new Dashboard.LimitLine(
              l.number(direction, 0),
              direction,
              l.choice("priority", Priority.class, Priority.MEDIUM).text()));
      l.done();
    }
    return new Dashboard.Panel(
        id,
        title,
        p.choice("show", Dashboard.Show.class, Dashboard.Show.LINES),
        place[0],
        place[1],
        place[2],
        place[3],
        query(p),
        p.text("unit", ""),
        p.text("legend", "table"),
        List.copyOf(limits));
  }

  /** The id of a panel that gives none of its own. */
  static String panelId(String title) {
    return title.toLowerCase(Locale.ROOT).replaceAll("[^a-z0-9]+", "-");
  }

  private static String query(Spec spec) {
    var text = spec.need("query");
    if (!text.isBlank()) {
      try {
        Parser.parse(text);
      } catch (QueryException e) {
        spec.fault("query", "line " + e.line() + ", column " + e.column() + ": " + e.getMessage());
      }
    }
    return text;
  }

  private static Definition rule(Spec spec) {
    var limits = new ArrayList<Limit>();
    for (var l : spec.objects("limits")) {
      limits.add(limit(l));
      l.done();
    }
    var missing = Rule.Missing.SHOW;
    long missingAfter = 5 * Spans.MINUTE;
    if (spec.has("missing")) {
      missing = spec.choice("missing", Rule.Missing.class, missing);
    }
    missingAfter = spec.span("missing-after", missingAfter);
    var name = spec.need("name");
    var title = spec.text("title", name, LONGEST.get("title"));
    var folder = spec.text("folder", "", LONGEST.get("folder"));
    var description = spec.text("description", "", LONGEST.get("description"));
    var query = query(spec);
    var line = spec.text("watch", "", 80);
    var unit = spec.text("unit", "", LONGEST.get("unit"));
    long every = spec.span("every", 10 * Spans.SECOND);
    long behind = spec.span("behind", 5 * Spans.SECOND);
    long soonest = missingAfter + every;
    long closeAfter = spec.span("close-after", Math.max(Rule.CLOSE_AFTER, soonest));
    if (closeAfter < soonest) {
      spec.fault(
          "close-after",
          "must be at least %s, `missing-after` and `every` together"
              .formatted(Spans.words(soonest)));
      closeAfter = soonest;
    }
    var labels = labels(spec);
    var summary = spec.text("summary", "", LONGEST.get("summary"));
    var fault = MessageText.fault(summary);
    if (fault != null) {
      spec.fault("summary", fault);
    }
    var runbook = spec.text("runbook", "", LONGEST.get("runbook"));
    if (!runbook.isEmpty() && runbookFault(runbook) != null) {
      spec.fault("runbook", runbookFault(runbook));
    }
    var owner = spec.text("owner", "", LONGEST.get("owner"));
    try {
      return new Definition.OfRule(
          new Rule(
              name,
              title,
              folder,
              description,
              query,
              line,
              limits,
              unit,
              every,
              behind,
              missing,
              missingAfter,
              closeAfter,
              labels,
              summary,
              runbook,
              owner));
    } catch (IllegalArgumentException e) {
      spec.fault("limits", e.getMessage());
      return null;
    }
  }

  /** Labels that a definition gives to others; checked as those that are sent are. */
  private static Map<String, String> labels(Spec spec) {
    var out = spec.textMap("labels");
    var fault = Admission.fault("a", Labels.of(out), "");
    if (fault != null || out.toString().length() > 4_000) {
      spec.fault("labels", "have more than 4,000 characters, or characters that can't be kept");
    }
    return out;
  }

  private static Limit limit(Spec l) {
    var direction = Limit.Direction.ABOVE;
    double value = Double.NaN;
    for (var d : Limit.Direction.values()) {
      if (l.has(d.text())) {
        direction = d;
        value = l.number(d.text(), 0);
      }
    }
    if (Double.isNaN(value)) {
      l.fault("", "needs one of above, at least, below, at most");
      value = 0;
    }
    double deadband = l.number("deadband", 0);
    if (deadband < 0) {
      l.fault("deadband", "can't be negative");
      deadband = 0;
    }
    return new Limit(
        direction,
        value,
        l.choice("priority", Priority.class, Priority.MEDIUM),
        deadband,
        l.span("on-delay", 0),
        l.span("off-delay", 0));
  }

  private static Definition recipient(Spec spec) {
    var channels = new ArrayList<Channel>();
    for (var c : spec.objects("channels")) {
      if (c.has("mail")) {
        var address = c.text("mail", "");
        if (!address.matches("[^@\\s]+@[^@\\s]+") || address.length() > MOST_MAIL) {
          c.fault("mail", "'" + Spec.cut(address) + "' is not a mail address");
        }
        channels.add(new Channel.Mail(address));
      } else if (c.has("chat")) {
        channels.add(new Channel.Chat(url(c, "chat")));
      } else if (c.has("webhook")) {
        channels.add(new Channel.Webhook(url(c, "webhook")));
      } else {
        c.fault("", "needs one of mail, chat, webhook");
      }
      c.done();
    }
    if (channels.isEmpty()) {
      spec.fault("channels", "a recipient needs at least one channel");
    }
    var name = spec.need("name");
    return new Definition.OfRecipient(new Recipient(name, spec.text("title", name), channels));
  }

  private static String url(Spec spec, String key) {
    var url = spec.text(key, "");
    if (!url.matches(ADDRESS)) {
      spec.fault(key, "must be an http or https address");
    } else if (url.length() > MOST_ADDRESS) {
      spec.fault(key, "has more than %,d characters".formatted(MOST_ADDRESS));
    }
    return url;
  }

  private static Definition routing(Spec spec) {
    var routes = new ArrayList<Route>();
    for (var r : spec.objects("routes")) {
      var when = r.text("when", "");
      Condition condition = Condition.ALL;
      try {
        condition = Parser.parseCondition(when);
      } catch (QueryException e) {
        r.fault("when", "column " + e.column() + ": " + e.getMessage());
      }
      var to = r.texts("to");
      if (to.isEmpty()) {
        r.fault("to", "names no recipient");
      }
      if (to.stream().anyMatch(n -> n.length() > 80)) {
        r.fault("to", "names a recipient with more than 80 characters");
      }
      routes.add(new Route(r.need("name"), condition, when, to, r.truth("more")));
      r.done();
    }
    try {
      return new Definition.OfRouting(spec.need("name"), new RoutingTable(routes));
    } catch (IllegalArgumentException e) {
      spec.fault("routes", e.getMessage());
      return null;
    }
  }

  private static Definition job(Spec spec) {
    var targets = spec.texts("targets");
    if (targets.isEmpty()) {
      spec.fault("targets", "names no endpoint");
    }
    for (var t : targets) {
      if (!t.matches(ADDRESS) || t.length() > MOST_ADDRESS || !isUri(t)) {
        spec.fault("targets", "'" + Concealing.shown(t) + "' is not an http or https address");
      }
    }
    long every = spec.span("every", 15 * Spans.SECOND);
    if (every < Spans.SECOND) {
      spec.fault("every", "must be at least 1s");
    }
    return new Definition.OfJob(
        spec.need("name"),
        targets,
        every,
        spec.span("timeout", Math.min(every, 10 * Spans.SECOND)),
        labels(spec));
  }
}
