package vintrel.server.show;

import java.util.ArrayList;
import java.util.List;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.ResponseBody;
import org.springframework.web.util.UriUtils;
import vintrel.core.store.SampleStore;
import vintrel.server.define.Definitions;
import vintrel.server.web.Places;
import vintrel.server.web.Places.Place;

/** Everything that the Go to box can open. */
@Controller
class GoToController {
  private static final int MAX_METRICS = 2000;
  private static final int MAX_PANELS = 2000;
  private static final List<Place> PAGES =
      List.of(
          new Place("page", "Collect", "/collect"),
          new Place("page", "Bench", "/bench"),
          new Place("page", "Dashboards", "/dashboards"),
          new Place("page", "Alarm list", "/watch"),
          new Place("page", "Rules", "/watch/rules"),
          new Place("page", "Notify", "/notify"),
          new Place("page", "Deliveries", "/notify/deliveries"),
          new Place("page", "Events", "/bench/events"),
          new Place("act", "Import a dashboard", "/dashboards/import"),
          new Place("act", "Change the password", "/password"));

  private final Definitions definitions;
  private final SampleStore store;
  private final List<Places> others;

  GoToController(Definitions definitions, SampleStore store, List<Places> others) {
    this.definitions = definitions;
    this.store = store;
    this.others = others;
  }

  @GetMapping("/goto")
  @ResponseBody
  List<Place> places() {
    var out = new ArrayList<>(PAGES);
    var dashboards = definitions.dashboards();
    dashboards.forEach(d -> out.add(new Place("dashboard", d.title(), "/dashboards/" + d.name())));
    definitions
        .rules()
        .forEach(r -> out.add(new Place("rule", r.title(), "/watch/rules/" + r.name())));
    others.forEach(o -> out.addAll(o.places()));
    dashboards.stream()
        .flatMap(
            d ->
                d.panels().stream()
                    .map(
                        p ->
                            new Place(
                                "panel",
                                p.title() + ", on " + d.title(),
                                "/dashboards/"
                                    + d.name()
                                    + "#panel="
                                    + UriUtils.encode(p.id(), "UTF-8"))))
        .limit(MAX_PANELS)
        .forEach(out::add);
    store.metricNames("").stream()
        .limit(MAX_METRICS)
        .forEach(m -> out.add(new Place("metric", m, "/bench?q=" + UriUtils.encode(m, "UTF-8"))));
    return out;
  }
}
