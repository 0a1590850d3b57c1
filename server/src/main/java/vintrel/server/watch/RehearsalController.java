package vintrel.server.watch;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.ServletRequestUtils;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.panel.Drawing;
import vintrel.core.picture.Picture;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.unit.Counts;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;
import vintrel.core.watch.TradeOff;
import vintrel.server.ask.ActiveQueries;
import vintrel.server.ask.QueryOutline;
import vintrel.server.ask.RangeParams;
import vintrel.server.web.PagePreferences;

/** What a rule that is being edited would have done in the range of its page. */
@Controller
class RehearsalController {
  private final Rehearsals rehearsals;
  private final PastChecks checks;
  private final Notifications notifications;
  private final RangeParams ranges;
  private final ActiveQueries running;
  private final JsonMapper json;
  private final Clock clock;

  /** Of a chart whose page says nothing of its size, px. */
  private static final int WIDTH = 900;

  RehearsalController(
      Rehearsals rehearsals,
      PastChecks checks,
      Notifications notifications,
      RangeParams ranges,
      ActiveQueries running,
      JsonMapper json,
      Clock clock) {
    this.rehearsals = rehearsals;
    this.checks = checks;
    this.notifications = notifications;
    this.running = running;
    this.json = json;
    this.ranges = ranges;
    this.clock = clock;
  }

  /**
   * What a page draws beside the rows of series.
   *
   * @param faults of the draft; everything else is empty then
   * @param outline the lines of its query
   * @param unit that the query gives
   * @param sign of the unit of limits, as it is written after a value
   * @param proposal a first limit for a draft without one, or null
   * @param from first ms of the range, for an answer about the same one
   * @param to last ms, exclusive
   * @param least value of all checks
   * @param greatest of them
   * @param band how the expected band was learned, in words; empty if none is asked for
   * @param limits the values of the limits with their unit, as they are drawn from the first on
   */
  record Answer(
      List<RuleDraft.Fault> faults,
      List<RuleAdvice.Advice> advice,
      List<QueryOutline.Line> outline,
      String unit,
      String sign,
      Map<String, Object> proposal,
      Drawing drawing,
      List<RaisedTimes.Raised> raised,
      List<MessagePreview.Sample> messages,
      String watched,
      long from,
      long to,
      double least,
      double greatest,
      String band,
      List<String> limits) {
    static Answer faulty(List<RuleDraft.Fault> faults) {
      return new Answer(
          faults, List.of(), List.of(), "", "", null, null, List.of(), List.of(), "", 0, 0, 0, 0,
          "", List.of());
    }
  }

  @PostMapping("/watch/rules/rehearsal")
  String rehearsal(
      @RequestParam String document,
      @RequestParam(defaultValue = "") String name,
      Model model,
      HttpServletRequest request) {
    var zone = PagePreferences.zone(request);
    var draft = RuleDraft.of(document, name);
    try {
      var answer =
          draft.rule() == null
              ? Answer.faulty(draft.faults())
              : answered(draft, ranges.of(request), zone, model, request);
      model.addAttribute("answer", json.writeValueAsString(answer));
    } catch (QueryException e) {
      var at = e.line() > 0 ? "line %d, column %d: ".formatted(e.line(), e.column()) : "";
      refused(model, "query", at + e.getMessage());
    } catch (PastChecks.TooLong e) {
      refused(model, "", e.getMessage());
    }
    return "watch/rehearsal :: rehearsal";
  }

  private void refused(Model model, String place, String text) {
    var answer = Answer.faulty(List.of(new RuleDraft.Fault(place, text)));
    model.addAttribute("answer", json.writeValueAsString(answer));
  }

  private Answer answered(
      RuleDraft draft, TimeText.Range range, ZoneId zone, Model model, HttpServletRequest request) {
    int width = Picture.side(ServletRequestUtils.getIntParameter(request, "width", WIDTH));
    var rule = draft.rule();
    // Another question of the same page ends this one.
    var page = request.getParameter("page");
    return running.run(
        page == null ? null : page + "/rehearsal",
        stop -> {
          var found = rehearsals.found(key(page), rule, range, columns(width), stop);
          var done = rehearsals.rehearse(rule, range, found, stop);
          var view = RehearsalView.of(rule, done, range, zone, clock.millis());
          if (!draft.limitless()) {
            model.addAttribute("view", view);
          }
          var advice = new ArrayList<>(RuleAdvice.of(rule, done, found, checks.maxSeries()));
          for (var label : MessagePreview.unknownLabels(rule, done.result())) {
            advice.add(
                new RuleAdvice.Advice(
                    "summary", "No series has the label %s; it is left out.".formatted(label)));
          }
          var unit = rule.unit().isEmpty() ? found.unit() : rule.unit();
          var bands = rehearsals.expected(rule, found, stop);
          var frame = found.courses().frame(unit, view.drawn(), RuleChart.toward(rule));
          if (rule.isOfBand() && !view.drawn().isEmpty()) {
            var name = view.rows().size() == 1 ? "" : view.rows().getFirst().name();
            frame = BandLine.joined(frame, rule, view.drawn().getFirst(), name, bands, unit);
          }
          return new Answer(
              List.of(),
              advice,
              QueryOutline.unread(Parser.parse(rule.query())),
              found.unit(),
              unit.startsWith("{") ? "" : Units.format(0, unit).replace("0", "").strip(),
              draft.limitless() ? ProposedLimit.of(found.courses().sorted()) : null,
              RuleChart.of(rule, frame, range, zone, width, draft.limitless()),
              RaisedTimes.of(done.result(), zone),
              draft.limitless()
                  ? List.of()
                  : MessagePreview.of(rule, done.result(), notifications, zone),
              Counts.of(done.result().series().size(), "series"),
              range.from(),
              range.to(),
              done.ends()[0],
              done.ends()[1],
              BandLine.words(rule, done.result(), bands),
              draft.limitless() ? List.of() : RuleChart.texts(rule, unit));
        });
  }

  private static String key(String page) {
    return page == null ? "" : page;
  }

  private static int columns(int width) {
    return Math.clamp(width / 3, 60, 400);
  }

  /** What waiting costs and spares at a limit; without points where that can't be said. */
  @PostMapping("/watch/rules/trade-off")
  @ResponseBody
  TradeView tradeOff(
      @RequestParam String document,
      @RequestParam(defaultValue = "") String name,
      @RequestParam(defaultValue = "0") int limit,
      HttpServletRequest request) {
    var draft = RuleDraft.of(document, name);
    var rule = draft.rule();
    if (rule == null || draft.limitless() || limit < 0 || limit >= rule.limits().size()) {
      return TradeView.none();
    }
    if (!TradeOff.isFor(rule.limits().get(limit))) {
      return TradeView.none();
    }
    int width = Picture.side(ServletRequestUtils.getIntParameter(request, "width", WIDTH));
    var range = ranges.of(request);
    var page = request.getParameter("page");
    try {
      return running.run(
          page == null ? null : page + "/trade-off",
          stop -> {
            var found = rehearsals.found(key(page), rule, range, columns(width), stop);
            var grid = rehearsals.tradeOff(rule, limit, found, stop);
            return stop.getAsBoolean()
                ? TradeView.none()
                : TradeView.of(rule, limit, grid, range.millis());
          });
    } catch (QueryException | PastChecks.TooLong e) {
      return TradeView.none();
    }
  }
}
