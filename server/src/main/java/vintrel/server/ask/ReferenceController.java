package vintrel.server.ask;

import java.time.Clock;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import vintrel.core.index.MetricEntry;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Vocabulary;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;

/** The query language's reference, from the same words that completion offers. */
@Controller
class ReferenceController {
  private final Queries queries;
  private final SampleStore store;
  private final Clock clock;

  ReferenceController(Queries queries, SampleStore store, Clock clock) {
    this.queries = queries;
    this.store = store;
    this.clock = clock;
  }

  /**
   * A step with an example on what is here.
   *
   * @param query the example, or empty if nothing here fits
   * @param result what it gives now, in words
   */
  public record Item(Vocabulary.Entry entry, String query, String result) {}

  @GetMapping("/bench/reference")
  String page(Model model) {
    var groups = new LinkedHashMap<String, List<Item>>();
    var base = bases();
    for (var entry : Vocabulary.STEPS) {
      groups.computeIfAbsent(entry.group(), k -> new ArrayList<>()).add(item(entry, base));
    }
    model.addAttribute("groups", groups);
    return "ask/reference";
  }

  /**
   * What examples begin with: a gauge, a counter, a histogram, a time, of those with most series.
   */
  private Map<String, String> bases() {
    var out = new LinkedHashMap<String, String>();
    var metrics =
        store.catalog().metrics("").stream()
            .sorted(java.util.Comparator.comparingInt(MetricEntry::series).reversed())
            .toList();
    for (var m : metrics) {
      var name = Printer.print(vintrel.core.query.syntax.Parser.parse("\"" + m.name() + "\""));
      if (m.name().endsWith(".bucket")) {
        out.putIfAbsent("histogram", name + " then rate");
      } else if (m.kind().cumulative()) {
        out.putIfAbsent("counter", name);
      } else if (m.name().contains("start.time") || m.name().contains("start_time")) {
        out.putIfAbsent("time", name);
      } else if (m.series() > 3) {
        out.putIfAbsent("gauge", name);
      }
    }
    return out;
  }

  private Item item(Vocabulary.Entry entry, Map<String, String> bases) {
    var base =
        bases.get(
            switch (entry.word()) {
              case "rate", "increase" -> "counter";
              case "quantile" -> "histogram";
              case "since" -> "time";
              default -> "gauge";
            });
    if (base == null || entry.example() == null) {
      return new Item(entry, "", "");
    }
    var query = base + " then " + entry.example();
    return new Item(entry, query, result(query));
  }

  private String result(String query) {
    long now = clock.millis();
    try {
      var answered =
          queries.answer(
              new Queries.Ask(query, new TimeText.Range(now - 15 * Durations.MINUTE, now), 15));
      return answered.answer().lines().getFirst().set().shape();
    } catch (QueryException e) {
      return e.getMessage();
    }
  }
}
