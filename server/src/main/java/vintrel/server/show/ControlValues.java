package vintrel.server.show;

import jakarta.servlet.http.HttpServletRequest;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Component;
import vintrel.core.define.Control;
import vintrel.core.define.Dashboard;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Condition;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.server.ask.ExternalStores;
import vintrel.server.ask.Queries;
import vintrel.server.ask.RangeParams;
import vintrel.server.store.NamedStores;

/** What the controls of a dashboard offer, and what a request has chosen in them. Any thread. */
@Component
class ControlValues {
  /** Which copy of a panel is asked for; no control can have this name. */
  static final String COPY = "panel-copy";

  /** Values that a control offers at most. */
  private static final int MAX_OFFERED = 1_000;

  private static final int MAX_CHOSEN = 500;
  private static final int POINTS = 20;

  private final SampleStore store;
  private final NamedStores named;
  private final ExternalStores external;
  private final Queries queries;
  private final RangeParams ranges;

  ControlValues(
      SampleStore store,
      NamedStores named,
      ExternalStores external,
      Queries queries,
      RangeParams ranges) {
    this.store = store;
    this.named = named;
    this.external = external;
    this.queries = queries;
    this.ranges = ranges;
  }

  /**
   * A control as the page shows it.
   *
   * @param kind in lower case
   * @param summary what is chosen, in a few words
   * @param text what is typed
   * @param fault why there is nothing to choose, or empty
   */
  public record View(
      String name,
      String title,
      String kind,
      boolean several,
      List<Choice> choices,
      String summary,
      String text,
      String fault) {}

  public record Choice(String value, boolean chosen) {}

  /** What is chosen in a control; none: all. */
  static List<String> chosen(Control c, HttpServletRequest request) {
    var values = request.getParameterValues(c.name());
    if (values == null) {
      return c.initial();
    }
    return Arrays.stream(values).filter(v -> !v.isEmpty()).distinct().limit(MAX_CHOSEN).toList();
  }

  /** What is chosen in all controls that lines can name. */
  static Map<String, List<String>> chosen(Dashboard dashboard, HttpServletRequest request) {
    var out = new LinkedHashMap<String, List<String>>();
    for (var c : dashboard.controls()) {
      if (c.kind().isNamed()) {
        out.put(c.name(), chosen(c, request));
      }
    }
    // One copy of a panel that is repeated: its own value in place of all that are chosen.
    for (var copy : copies(request)) {
      int cut = copy.indexOf('=');
      if (cut > 0 && out.containsKey(copy.substring(0, cut))) {
        out.put(copy.substring(0, cut), List.of(copy.substring(cut + 1)));
      }
    }
    return out;
  }

  /** Which copy of a panel is asked for: control=value, for each control that repeats it. */
  static List<String> copies(HttpServletRequest request) {
    var values = request.getParameterValues(COPY);
    return values == null ? List.of() : List.of(values);
  }

  /** The store that lines read which name none; empty: all. */
  static String store(Dashboard dashboard, HttpServletRequest request) {
    return first(dashboard, Control.Kind.STORE, request);
  }

  /** The width of buckets, ms; 0: as it suits the picture. */
  static long width(Dashboard dashboard, HttpServletRequest request) {
    return Durations.parse(first(dashboard, Control.Kind.INTERVAL, request)).orElse(0);
  }

  private static String first(Dashboard dashboard, Control.Kind kind, HttpServletRequest request) {
    return dashboard.controls().stream()
        .filter(c -> c.kind() == kind)
        .flatMap(c -> chosen(c, request).stream())
        .findFirst()
        .orElse("");
  }

  List<View> views(Dashboard dashboard, HttpServletRequest request) {
    return dashboard.controls().stream().map(c -> view(c, dashboard, request)).toList();
  }

  private View view(Control c, Dashboard dashboard, HttpServletRequest request) {
    var chosen = chosen(c, request);
    var offered = new LinkedHashSet<String>();
    var fault = "";
    try {
      offered.addAll(offered(c, dashboard, request));
    } catch (QueryException e) {
      fault = e.getMessage();
    }
    // What is chosen and is not offered any more can still be seen, and taken back.
    offered.addAll(chosen);
    var choices = offered.stream().map(v -> new Choice(v, chosen.contains(v))).toList();
    var none = c.kind() == Control.Kind.INTERVAL ? "auto" : "all";
    var summary =
        chosen.isEmpty()
            ? none
            : chosen.size() <= 2 ? String.join(", ", chosen) : chosen.size() + " chosen";
    return new View(
        c.name(),
        c.title(),
        c.kind().name().toLowerCase(java.util.Locale.ROOT),
        c.several(),
        choices,
        summary,
        String.join(",", chosen),
        fault);
  }

  /**
   * The values that a control offers just now.
   *
   * @throws QueryException if its query fails
   */
  List<String> offered(Control c, Dashboard dashboard, HttpServletRequest request) {
    var found =
        switch (c.kind()) {
          case LABEL -> labels(c, chosen(dashboard, request));
          case QUERY -> results(c, dashboard, request);
          case LIST, INTERVAL -> c.values();
          case STORE -> stores();
          case TEXT -> List.<String>of();
        };
    return found.stream().distinct().limit(MAX_OFFERED).toList();
  }

  private List<String> labels(Control c, Map<String, List<String>> chosen) {
    // A control is not narrowed by itself.
    var others = new LinkedHashMap<>(chosen);
    others.put(c.name(), List.of());
    var where =
        c.where().isEmpty() ? Condition.ALL : Parser.parseCondition(c.where()).bind(others::get);
    return List.copyOf(store.catalog().labelValues(c.label(), "", c.metric(), where));
  }

  private List<String> results(Control c, Dashboard dashboard, HttpServletRequest request) {
    var others = new LinkedHashMap<>(chosen(dashboard, request));
    others.put(c.name(), List.of());
    var ask =
        new Queries.Ask(c.query(), ranges.of(request), POINTS)
            .with(others)
            .at(PanelDrawing.zone(dashboard, request))
            .in(store(dashboard, request));
    return queries.answer(
        ask,
        answered -> {
          var frames = answered.frames();
          return frames.isEmpty() ? List.of() : names(frames.getLast(), c.label());
        });
  }

  /** Of series their label, or their names; of a table a column of texts. */
  private static List<String> names(Frame frame, String label) {
    var out = new ArrayList<String>();
    if (frame.drawable()) {
      for (var n : frame.numbers()) {
        var value = label.isEmpty() ? n.name() : n.labels().get(label);
        if (value != null) {
          out.add(value);
        }
      }
      return out;
    }
    for (var column : frame.columns()) {
      boolean wanted = label.isEmpty() || column.name().equals(label);
      if (column instanceof Column.Text t && wanted) {
        Arrays.stream(t.values()).filter(v -> !v.isEmpty()).forEach(out::add);
        return out;
      }
    }
    return out;
  }

  private List<String> stores() {
    var out = new ArrayList<String>();
    named.all().forEach(n -> out.add(n.name()));
    out.addAll(external.names(ExternalStores.Form.VINTREL));
    return out;
  }

  /** The values that something is repeated for: those chosen, or all that are offered. */
  Map<String, List<String>> repeated(Dashboard dashboard, HttpServletRequest request) {
    var out = new LinkedHashMap<String, List<String>>();
    for (var c : dashboard.controls()) {
      if (dashboard.repeats(c.name())) {
        var chosen = chosen(c, request);
        try {
          out.put(c.name(), chosen.isEmpty() ? offered(c, dashboard, request) : chosen);
        } catch (QueryException e) {
          // The control says what is wrong; what is repeated stays one.
          out.put(c.name(), List.of());
        }
      }
    }
    return out;
  }

  /** Whether a choice in one control changes what else the page has. */
  static boolean reloads(Dashboard dashboard) {
    return dashboard.controls().stream().anyMatch(c -> titled(dashboard, c))
        || dashboard.controls().stream().anyMatch(c -> dashboard.repeats(c.name()))
        || dashboard.controls().stream()
            .anyMatch(c -> dashboard.controls().stream().anyMatch(o -> c.dependsOn(o.name())));
  }

  private static boolean titled(Dashboard dashboard, Control c) {
    var hole = "{" + c.name() + "}";
    return dashboard.panels().stream().anyMatch(p -> p.title().contains(hole))
        || dashboard.sections().stream().anyMatch(s -> s.title().contains(hole));
  }
}
