package vintrel.server.show;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.ResponseBody;
import org.springframework.web.util.UriUtils;
import vintrel.core.store.SampleStore;
import vintrel.server.define.Definitions;

/** Everything that the Go to box can open. */
@Controller
class GoToController {
  private static final int MAX_METRICS = 2000;
  private static final String[][] PAGES = {
    {"Collect", "/collect"},
    {"Bench", "/bench"},
    {"Dashboards", "/dashboards"},
    {"Alarm list", "/watch"},
    {"Rules", "/watch/rules"},
    {"Notify", "/notify"}
  };

  private final Definitions definitions;
  private final SampleStore store;

  GoToController(Definitions definitions, SampleStore store) {
    this.definitions = definitions;
    this.store = store;
  }

  @GetMapping("/goto")
  @ResponseBody
  List<Map<String, String>> places() {
    var out = new ArrayList<Map<String, String>>();
    for (var page : PAGES) {
      out.add(place("page", page[0], page[1]));
    }
    definitions
        .dashboards()
        .forEach(d -> out.add(place("dashboard", d.title(), "/dashboards/" + d.name())));
    definitions.rules().forEach(r -> out.add(place("rule", r.title(), "/watch/rules/" + r.name())));
    store.metricNames("").stream()
        .limit(MAX_METRICS)
        .forEach(m -> out.add(place("metric", m, "/bench?q=" + UriUtils.encode(m, "UTF-8"))));
    return out;
  }

  private static Map<String, String> place(String kind, String title, String url) {
    return Map.of("kind", kind, "title", title, "url", url);
  }
}
