package vintrel.server.show;

import com.fasterxml.jackson.annotation.JsonInclude;
import jakarta.servlet.http.HttpServletRequest;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Function;
import org.springframework.stereotype.Component;
import org.springframework.web.bind.ServletRequestUtils;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Feeding;
import vintrel.core.define.PanelTime;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.panel.Asked;
import vintrel.core.panel.Drawing;
import vintrel.core.panel.Need;
import vintrel.core.picture.Palette;
import vintrel.core.picture.Picture;
import vintrel.core.query.plan.Advice;
import vintrel.core.unit.Units;
import vintrel.server.ask.ActiveQueries;
import vintrel.server.ask.Queries;
import vintrel.server.ask.RangeParams;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** Asks the lines of a panel and draws their answer. Any thread. */
@Component
class PanelDrawing {
  /** About what the axes of a chart take of its size, px, until the page has measured it. */
  private static final int AXES_WIDTH = 60;

  private static final int AXES_HEIGHT = 30;

  private final Queries queries;
  private final RangeParams ranges;
  private final ActiveQueries running;
  private final Thumbnails thumbnails;
  private final Appending appending;
  private final RulesOfPanel rules;
  private final Map<String, Palette> palettes = new ConcurrentHashMap<>();

  PanelDrawing(
      Queries queries,
      RangeParams ranges,
      ActiveQueries running,
      Thumbnails thumbnails,
      Appending appending,
      RulesOfPanel rules) {
    this.rules = rules;
    this.appending = appending;
    this.thumbnails = thumbnails;
    this.queries = queries;
    this.ranges = ranges;
    this.running = running;
  }

  /**
   * A panel's result.
   *
   * @param empty why there is nothing, or null
   * @param drawing null if there is nothing
   * @param fault what is wrong with a panel that is being edited; else null
   * @param fed what lines gave for its settings, by their places
   * @param version of the drawing, which a page names when it asks again; null: none
   * @param keeps what the page has of the drawing already: {@link Appending.Part}
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record PanelAnswer(
      Queries.Empty empty,
      List<Advice> advice,
      Drawing drawing,
      String fault,
      Map<String, FedSettings.Value> fed,
      Long version,
      List<int[]> keeps) {
    PanelAnswer {
      drawing = drawing == null ? null : drawing.shown();
    }

    PanelAnswer(
        Queries.Empty empty,
        List<Advice> advice,
        Drawing drawing,
        String fault,
        Map<String, FedSettings.Value> fed) {
      this(empty, advice, drawing, fault, fed, null, null);
    }
  }

  static PanelAnswer faulty(String text) {
    return new PanelAnswer(null, List.of(), null, text, null);
  }

  /** Px of a panel's body, and of the plot in it as far as it is known. */
  record Size(int width, int height, int plotWidth, int plotHeight) {
    /** From width, height, plot-width and plot-height; the plot is 0 before the first picture. */
    static Size of(HttpServletRequest request) {
      return new Size(
          ServletRequestUtils.getIntParameter(request, "width", 600),
          ServletRequestUtils.getIntParameter(request, "height", 200),
          ServletRequestUtils.getIntParameter(request, "plot-width", 0),
          ServletRequestUtils.getIntParameter(request, "plot-height", 0));
    }

    int plotAcross() {
      return Picture.side(plotWidth > 0 ? plotWidth : width - AXES_WIDTH);
    }

    int plotDown() {
      return Picture.side(plotHeight > 0 ? plotHeight : height - AXES_HEIGHT);
    }
  }

  /** That of the dashboard if it has one, else the person's. */
  static ZoneId zone(Dashboard dashboard, HttpServletRequest request) {
    return dashboard.zone().isEmpty() ? PagePreferences.zone(request) : ZoneId.of(dashboard.zone());
  }

  static int points(int width) {
    return Math.clamp(width / 3, 20, 2000);
  }

  /** What a panel asks, in the circumstances of a request; in its own time if it has one. */
  Queries.Ask ask(
      Dashboard dashboard, Dashboard.Panel panel, int width, HttpServletRequest request) {
    var range = PanelTime.of(panel.time(), ranges.of(request), zone(dashboard, request));
    return new Queries.Ask(panel.query(), range, points(width))
        .with(ControlValues.chosen(dashboard, request))
        .in(ControlValues.store(dashboard, request))
        .step(ControlValues.width(dashboard, request))
        .at(zone(dashboard, request));
  }

  /** Copies of a panel do not end each other's queries. */
  private static String copyOf(HttpServletRequest request) {
    var copies = ControlValues.copies(request);
    return copies.isEmpty() ? "" : "~" + String.join("~", copies);
  }

  /**
   * The result of a panel with what its kind draws it from.
   *
   * @param panel with the numbers that its lines gave
   * @param answered null if it has no lines
   * @param fed what they gave, by the places of the settings
   */
  record Result(
      Dashboard.Panel panel,
      Queries.Answered answered,
      Asked asked,
      Map<String, FedSettings.Value> fed) {}

  /** A panel as the dashboard shows it; its picture in the list of dashboards follows. */
  PanelAnswer draw(
      Dashboard dashboard, Dashboard.Panel panel, Size size, HttpServletRequest request) {
    var result = result(dashboard, panel, size, request);
    var asked = result.asked();
    thumbnails.answered(dashboard.name(), panel.id(), asked.lines(), asked.from(), asked.to());
    var answer = draw(panel, result);
    var page = request.getParameter("page");
    if (page == null || answer.drawing() == null) {
      return answer;
    }
    var key =
        String.join("/", CurrentUser.name(), page, dashboard.name(), panel.id() + copyOf(request));
    long has = ServletRequestUtils.getLongParameter(request, "has", 0);
    var part = appending.part(key, answer.drawing(), has);
    return new PanelAnswer(
        answer.empty(),
        answer.advice(),
        part.drawing(),
        null,
        answer.fed(),
        part.version(),
        part.keeps());
  }

  static PanelAnswer draw(Dashboard.Panel panel, Result result) {
    var answered = result.answered();
    boolean hasQuery = answered != null;
    boolean table =
        hasQuery
            && panel.kind().need() == Need.SERIES
            && answered.empty() == null
            && answered.frames().stream().noneMatch(Frame::drawable);
    if (table) {
      var text =
          "The lines return a table; a "
              + panel.kind().title().toLowerCase(Locale.ROOT)
              + " needs series over time. Edit the panel to choose another kind or other steps.";
      return new PanelAnswer(
          new Queries.Empty(text, 0), answered.advice(), null, null, result.fed());
    }
    // A note says something though its lines give nothing.
    boolean empty = hasQuery && answered.empty() != null && panel.kind().need() != Need.NOTHING;
    return new PanelAnswer(
        empty ? answered.empty() : null,
        hasQuery ? advice(panel, answered) : List.of(),
        empty ? null : result.panel().kind().draw(result.asked()),
        null,
        result.fed());
  }

  /** That of the query, and of a unit that the values do not have. */
  private static List<Advice> advice(Dashboard.Panel panel, Queries.Answered answered) {
    var own =
        answered.frames().stream()
            .flatMap(f -> f.numbers().stream())
            .map(Column.Number::unit)
            .filter(u -> Units.known(u) && !u.equals(panel.unit()))
            .findFirst();
    if (panel.unit().isEmpty() || own.isEmpty()) {
      return answered.advice();
    }
    var out = new ArrayList<>(answered.advice());
    var text =
        "The values are in %s and the panel writes them in %s, without converting. Remove the unit"
            + " of the panel, or convert the line";
    out.add(new Advice("other-unit", text.formatted(own.get(), panel.unit()), 1, 1, null));
    return List.copyOf(out);
  }

  Result result(Dashboard dashboard, Dashboard.Panel panel, Size size, HttpServletRequest request) {
    var ask = ask(dashboard, panel, size.width(), request).also(Feeding.lines(panel));
    var range = ask.range();
    var key = request.getParameter("page");
    Function<Queries.Ask, Queries.Answered> answer =
        one ->
            running.run(
                key == null ? null : key + "/" + panel.id() + copyOf(request),
                stop -> queries.answer(one.until(stop)));
    boolean hasQuery = !panel.query().isBlank();
    var answered = hasQuery ? answer.apply(ask) : null;
    var fed = FedSettings.of(panel, answered, ask);
    var drawn = fed.panel();
    long before = drawn.kind().earlier();
    var earlier =
        before > 0 && hasQuery
            ? answer.apply(ask.over(range.before(before))).frames()
            : List.<Frame>of();
    if (hasQuery) {
      queries.claimPicture(answered.frames());
      queries.claimPicture(earlier);
    }
    var asked =
        asked(drawn, answered, earlier, ask, size, palette(dashboard).repeated(values(request)));
    var watching = rules.of(drawn, answered, ask);
    return new Result(
        drawn,
        answered,
        asked.watchedBy(rules.watched(watching, range, size.plotAcross())),
        fed.values());
  }

  /** Another answer than its lines give, for a panel to draw. */
  Asked asked(
      Dashboard dashboard,
      Dashboard.Panel panel,
      Queries.Answered answered,
      Queries.Ask ask,
      Size size) {
    return asked(panel, answered, List.of(), ask, size, palette(dashboard));
  }

  private Palette palette(Dashboard dashboard) {
    return palettes.computeIfAbsent(dashboard.name(), k -> new Palette());
  }

  /** What a copy of a panel is repeated for. */
  private static List<String> values(HttpServletRequest request) {
    return ControlValues.copies(request).stream()
        .map(copy -> copy.substring(copy.indexOf('=') + 1))
        .toList();
  }

  private static Asked asked(
      Dashboard.Panel panel,
      Queries.Answered answered,
      List<Frame> earlier,
      Queries.Ask ask,
      Size size,
      Palette palette) {
    return new Asked(
        answered == null ? List.of() : answered.answer().lines(),
        answered == null ? List.of() : answered.frames(),
        earlier,
        ask.range().from(),
        ask.range().to(),
        ask.zone(),
        panel.unit(),
        panel.limits(),
        Picture.side(size.width()),
        Picture.side(size.height()),
        size.plotAcross(),
        size.plotDown(),
        palette);
  }
}
