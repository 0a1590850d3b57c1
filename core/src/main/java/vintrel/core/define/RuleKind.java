package vintrel.core.define;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.define.Shape.Field;
import vintrel.core.tell.MessageText;
import vintrel.core.unit.Durations;
import vintrel.core.watch.Rule;

/** {@code kind: rule}. */
final class RuleKind implements Kind<Definition.OfRule> {
  static final String RUNBOOK = "https?://[^\\s\"'<>]+";

  private static final Shape.Fields SHAPE =
      new Shape.Fields(
          KIND,
          NAME,
          Field.of("title", Shape.text(200), "The name that people read. Default: the name."),
          Field.of("folder", Shape.text(200), "Where it is listed.").or(""),
          Field.of("description", Shape.text(10_000), "What it is for.").or(""),
          Field.of("query", Shape.text(100_000), "The lines of the query.")
              .needed()
              .checked(Checks::query),
          Field.of("watch", Shape.text(80), "The line that is watched. Default: the last.").or(""),
          Field.of("unit", Shape.text(100), "The unit of the values, as UCUM writes it.").or(""),
          Field.of(
                  "limits",
                  new Shape.ListOf(
                      RuleLimits.SHAPE, 1, Rule.MAX_LIMITS, false, "a rule needs one to 3 limits"),
                  "One to three limits, each with its own priority.")
              .needed(),
          Field.of("every", new Shape.Duration(Rule.MIN_EVERY), "Time between two checks.")
              .or("10s"),
          Field.of("behind", new Shape.Duration(0), "Evaluation delay, for late data.").or("5s"),
          Field.of(
                  "missing",
                  Shape.choice(Rule.Missing.class),
                  "What to do when a series has no value: hold the state, show it, or raise.")
              .or("show"),
          Field.of("missing-after", new Shape.Duration(0), "Time without values before that.")
              .or("5m"),
          Field.of(
                  "fault",
                  Shape.choice(Rule.Missing.class),
                  "What to do when the query fails: hold the state, show it, or raise.")
              .or("show"),
          Field.of("fault-after", new Shape.Duration(0), "Time of failures before that.").or("5m"),
          Field.of(
              "close-after",
              new Shape.Duration(0),
              "Time without values after which the series is closed. Default: 1d."),
          Field.of("labels", new Shape.TextMap(), "Joined to each series' own, for routing.")
              .checked(Checks::labels),
          Field.of("summary", Shape.text(2_000), "One sentence of a message; a Mustache template.")
              .or("")
              .checked(s -> MessageText.fault((String) s)),
          Field.of(
                  "details",
                  Shape.text(10_000),
                  "What a message says after its reason; a Mustache template.")
              .or("")
              .checked(s -> MessageText.fault((String) s)),
          Field.of("runbook", Shape.text(1_000), "The address of a runbook.")
              .or("")
              .checked(RuleKind::runbook),
          Field.of("owner", Shape.text(200), "Who looks after it.").or(""),
          RuleLearning.ZONE_FIELD,
          RuleLearning.LEAVE_OUT_FIELD,
          Field.of(
                  "paused",
                  new Shape.Truth(),
                  "Whether it is not checked; its series keep their states.")
              .or(false));

  /** Why a text can't be the link to a runbook, or null if it can. */
  static String runbook(Object text) {
    var address = text.toString();
    return address.isEmpty() || address.matches(RUNBOOK)
        ? null
        : "must be an http or https address";
  }

  @Override
  public String name() {
    return "rule";
  }

  @Override
  public Shape.Fields shape() {
    return SHAPE;
  }

  @Override
  public Class<Definition.OfRule> type() {
    return Definition.OfRule.class;
  }

  @Override
  public Definition.OfRule read(Node doc, String path, List<String> faults) {
    long every = doc.duration("every");
    long missingAfter = doc.duration("missing-after");
    long soonest = missingAfter + every;
    long closeAfter =
        doc.has("close-after") ? doc.duration("close-after") : Math.max(Rule.CLOSE_AFTER, soonest);
    if (closeAfter < soonest) {
      faults.add(
          path
              + ".close-after: must be at least %s, `missing-after` and `every` together"
                  .formatted(Durations.text(soonest)));
      return null;
    }
    try {
      return new Definition.OfRule(
          new Rule(
              doc.text("name"),
              doc.text("title", doc.text("name")),
              doc.text("folder"),
              doc.text("description"),
              doc.text("query"),
              doc.text("watch"),
              doc.objects("limits").stream().map(RuleLimits::read).toList(),
              doc.text("unit"),
              every,
              doc.duration("behind"),
              doc.choice("missing", Rule.Missing.class),
              missingAfter,
              closeAfter,
              doc.choice("fault", Rule.Missing.class),
              doc.duration("fault-after"),
              doc.textMap("labels"),
              doc.text("summary"),
              doc.text("details"),
              doc.text("runbook"),
              doc.text("owner"),
              doc.truth("paused"),
              RuleLearning.read(doc)));
    } catch (IllegalArgumentException e) {
      faults.add(path + ".limits: " + e.getMessage());
      return null;
    }
  }

  @Override
  public Map<String, Object> write(Definition.OfRule definition) {
    var rule = definition.rule();
    var out = new LinkedHashMap<String, Object>();
    Kinds.put(out, "title", rule.title(), rule.name());
    Kinds.put(out, "folder", rule.folder(), "");
    Kinds.put(out, "description", rule.description(), "");
    out.put("query", rule.query());
    Kinds.put(out, "watch", rule.line(), "");
    Kinds.put(out, "unit", rule.unit(), "");
    out.put("limits", rule.limits().stream().map(RuleLimits::write).toList());
    Kinds.put(out, "every", Durations.text(rule.every()), "10s");
    Kinds.put(out, "behind", Durations.text(rule.behind()), "5s");
    Kinds.put(out, "missing", Shape.word(rule.missing()), "show");
    Kinds.put(out, "missing-after", Durations.text(rule.missingAfter()), "5m");
    Kinds.put(out, "fault", Shape.word(rule.fault()), "show");
    Kinds.put(out, "fault-after", Durations.text(rule.faultAfter()), "5m");
    long usual = Math.max(Rule.CLOSE_AFTER, rule.missingAfter() + rule.every());
    Kinds.put(out, "close-after", Durations.text(rule.closeAfter()), Durations.text(usual));
    Kinds.put(out, "labels", rule.labels(), Map.of());
    Kinds.put(out, "summary", rule.summary(), "");
    Kinds.put(out, "details", rule.details(), "");
    Kinds.put(out, "runbook", rule.runbook(), "");
    Kinds.put(out, "owner", rule.owner(), "");
    RuleLearning.write(rule.learning(), out);
    Kinds.put(out, "paused", rule.paused(), false);
    return out;
  }

  @Override
  public Map<String, Object> example() {
    return Documents.map(
        """
        kind: rule
        name: deck-load
        title: Car deck nearly full
        folder: Boarding
        query: deck.load then mean by vessel
        unit: t
        limits:
        - {above: 180, priority: high, deadband: 5, on-delay: 2m}
        - {above: 150, priority: low}
        every: 15s
        missing: hold
        labels: {team: boarding}
        summary: The car deck of {{labels.vessel}} carries {{value}}
        runbook: https://runbooks.marrowsound.example/deck-load
        """);
  }
}
