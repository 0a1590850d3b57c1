package vintrel.server.watch;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.springframework.http.MediaType;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ObjectNode;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.series.Labels;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.Rule;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.Transition;

/** Rehearsals for programs: a pipeline sees what a rule would have done before it applies it. */
@RestController
class RehearseApi {
  /** Transitions of a series in an answer; the numbers beside them are of all. */
  /** Of all series together. */
  private static final int MOST_TRANSITIONS = 10_000;

  private static final int MAX_TRANSITIONS = 200;

  private final Rehearsals rehearsals;
  private final Clock clock;

  RehearseApi(Rehearsals rehearsals, Clock clock) {
    this.rehearsals = rehearsals;
    this.clock = clock;
  }

  /**
   * @param text a rule as YAML or JSON; or an object with {@code rule}, {@code from} and {@code to}
   * @param from of the query, if the object has none
   */
  @PostMapping("/api/v1/rules/rehearse")
  Map<String, Object> rehearse(
      @RequestBody String text,
      @RequestParam(defaultValue = "-7d") String from,
      @RequestParam(defaultValue = "now") String to,
      @RequestHeader(name = "Content-Type", defaultValue = "") String type) {
    if (type.startsWith(MediaType.APPLICATION_FORM_URLENCODED_VALUE)) {
      throw new IllegalArgumentException("add the header `Content-Type: application/yaml`");
    }
    var asked = Asked.of(text, from, to);
    var now = Instant.ofEpochMilli(clock.millis());
    var range = TimeText.range(asked.from(), asked.to(), now, ZoneOffset.UTC);
    return answer(rehearsals.run(rule(asked.rule()), range, () -> false));
  }

  private record Asked(String rule, String from, String to) {
    static Asked of(String text, String from, String to) {
      if (!text.stripLeading().startsWith("{")) {
        return new Asked(text, from, to);
      }
      JsonNode body;
      try {
        body = JsonMapper.shared().readTree(text);
      } catch (JacksonException e) {
        // YAML in braces, which says itself what is wrong with it.
        return new Asked(text, from, to);
      }
      if (!body.path("rule").isObject()) {
        return new Asked(text, from, to);
      }
      var rule = (ObjectNode) body.path("rule");
      if (!rule.has("kind")) {
        rule.put("kind", "rule");
      }
      if (!rule.has("name")) {
        rule.put("name", RuleDraft.NAME);
      }
      return new Asked(rule.toString(), end(body, "from", from), end(body, "to", to));
    }

    private static String end(JsonNode body, String name, String otherwise) {
      var value = body.path(name);
      return value.isMissingNode() || value.isNull() ? otherwise : value.asString();
    }
  }

  private static Rule rule(String text) {
    var documents = Bundle.parse(text).documents();
    if (documents.size() == 1
        && documents.getFirst().definition() instanceof Definition.OfRule of) {
      return of.rule();
    }
    throw new DefinitionException(List.of("the text must be one definition of kind rule"));
  }

  private static Map<String, Object> answer(Rehearsals.Rehearsed r) {
    var out = new LinkedHashMap<String, Object>();
    out.put("from", time(r.result().from()));
    out.put("to", time(r.result().to()));
    out.put("every_ms", r.every());
    out.put("raised", r.result().raised());
    out.put("raised_ms", r.result().millis());
    out.put("longest_ms", r.result().longest());
    out.put("flaps", r.result().flaps());
    out.put("messages", r.messages());
    out.put("recipients", r.recipients());
    out.put("series_cut", r.cut());
    out.put("took_ms", r.millis());
    out.put("stats", Map.of("checks", r.checks(), "ms", r.millis()));
    out.put("transitions", transitions(r.result()));
    out.put("series", r.result().series().stream().map(RehearseApi::series).toList());
    return out;
  }

  /** The first ones of all series, by time. */
  private static List<Map<String, Object>> transitions(Rehearsal.Result result) {
    record Told(Labels labels, Transition transition) {}
    return result.series().stream()
        .flatMap(s -> s.transitions().stream().map(t -> new Told(s.labels(), t)))
        .sorted(Comparator.comparingLong(t -> t.transition().at()))
        .limit(MOST_TRANSITIONS)
        .map(
            t -> {
              var out = new LinkedHashMap<String, Object>();
              out.put("labels", t.labels().asMap());
              out.putAll(transition(t.transition()));
              out.put("at", t.transition().at());
              return (Map<String, Object>) out;
            })
        .toList();
  }

  private static Map<String, Object> series(Rehearsal.OfSeries s) {
    var out = new LinkedHashMap<String, Object>();
    out.put("labels", s.labels().asMap());
    out.put("raised", s.raised());
    out.put("total", s.millis());
    out.put("longest", s.longest());
    out.put("raised_ms", s.millis());
    out.put("longest_ms", s.longest());
    out.put("flaps", s.flaps());
    out.put("state", s.now().state().text());
    out.put("value", number(s.value()));
    var transitions = new ArrayList<Map<String, Object>>();
    s.transitions().stream().limit(MAX_TRANSITIONS).forEach(t -> transitions.add(transition(t)));
    out.put("transitions", transitions);
    out.put("more_transitions", Math.max(0, s.transitions().size() - MAX_TRANSITIONS));
    return out;
  }

  private static Map<String, Object> transition(Transition t) {
    var out = new LinkedHashMap<String, Object>();
    out.put("at", time(t.at()));
    out.put("change", t.change().text());
    out.put("from", t.from().text());
    out.put("to", t.to().text());
    out.put("priority", t.priority() == null ? null : t.priority().text());
    out.put("value", number(t.value()));
    out.put("why", t.why());
    return out;
  }

  private static String time(long at) {
    return at == SeriesState.NEVER ? null : Instant.ofEpochMilli(at).toString();
  }

  private static Double number(double v) {
    return Double.isFinite(v) ? v : null;
  }
}
