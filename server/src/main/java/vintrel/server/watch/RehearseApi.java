package vintrel.server.watch;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.springframework.http.MediaType;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.Rule;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.Transition;

/** Rehearsals for programs: a pipeline sees what a rule would have done before it applies it. */
@RestController
class RehearseApi {
  /** Transitions of a series in an answer; the numbers beside them are of all. */
  private static final int MAX_TRANSITIONS = 200;

  private final Rehearsals rehearsals;
  private final Clock clock;

  RehearseApi(Rehearsals rehearsals, Clock clock) {
    this.rehearsals = rehearsals;
    this.clock = clock;
  }

  @PostMapping("/api/v1/rules/rehearse")
  Map<String, Object> rehearse(
      @RequestBody String text,
      @RequestParam(defaultValue = "-7d") String from,
      @RequestParam(defaultValue = "now") String to,
      @RequestHeader(name = "Content-Type", defaultValue = "") String type) {
    if (type.startsWith(MediaType.APPLICATION_FORM_URLENCODED_VALUE)) {
      throw new IllegalArgumentException("add the header `Content-Type: application/yaml`");
    }
    var range = TimeText.range(from, to, Instant.ofEpochMilli(clock.millis()), ZoneOffset.UTC);
    return answer(rehearsals.run(rule(text), range, () -> false));
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
    out.put("series", r.result().series().stream().map(RehearseApi::series).toList());
    return out;
  }

  private static Map<String, Object> series(Rehearsal.OfSeries s) {
    var out = new LinkedHashMap<String, Object>();
    out.put("labels", s.labels().asMap());
    out.put("raised", s.raised());
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
