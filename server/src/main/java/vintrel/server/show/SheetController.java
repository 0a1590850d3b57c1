package vintrel.server.show;

import com.fasterxml.jackson.annotation.JsonInclude;
import jakarta.servlet.http.HttpServletRequest;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.NoSuchElementException;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ObjectNode;
import vintrel.core.define.Bundle;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.fit.Fit;
import vintrel.core.frame.Frame;
import vintrel.core.panel.Asked;
import vintrel.core.panel.Drawing;
import vintrel.core.panel.Need;
import vintrel.core.panel.PanelKind;
import vintrel.core.panel.PanelKinds;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.unit.Units;
import vintrel.server.ask.Fitting;
import vintrel.server.ask.Queries;
import vintrel.server.ask.QueryOutline;
import vintrel.server.ask.TableView;
import vintrel.server.define.Definitions;

/** A panel that is being edited: its picture, its lines with what each step gives, and Fit. */
@Controller
class SheetController {
  /** A small picture, px; the page shows it at a third of its size. */
  private static final int SMALL_WIDTH = 216;

  private static final int SMALL_HEIGHT = 102;

  /** The picture of a proposal, px. */
  private static final int TRIED_WIDTH = 240;

  private static final int TRIED_HEIGHT = 118;

  private static final int SAMPLED = 3;

  private final Definitions definitions;
  private final PanelDrawing drawing;
  private final Fitting fitting;

  SheetController(Definitions definitions, PanelDrawing drawing, Fitting fitting) {
    this.definitions = definitions;
    this.drawing = drawing;
    this.fitting = fitting;
  }

  private Dashboard need(String name) {
    var dashboard = definitions.dashboard(name);
    if (dashboard == null) {
      throw new NoSuchElementException("no dashboard named `" + name + "`");
    }
    return dashboard;
  }

  /** What is typed is wrong most of the time: that is an answer, not a failure. */
  private interface Work<T> {
    T with(Dashboard.Panel panel);
  }

  private static <T> T parsed(
      String draft, Work<T> work, java.util.function.Function<String, T> faulty) {
    var document =
        "{\"kind\": \"dashboard\", \"name\": \"draft\", \"title\": \"-\", \"panels\": [%s]}";
    try {
      var read = Bundle.parse(document.formatted(alone(draft))).documents().getFirst().definition();
      return work.with(((Definition.OfDashboard) read).dashboard().panels().getFirst());
    } catch (DefinitionException e) {
      return faulty.apply(String.join("; ", e.faults()).replace("dashboard draft.panels[0].", ""));
    } catch (QueryException e) {
      var place = e.line() > 0 ? "line %d, column %d: ".formatted(e.line(), e.column()) : "";
      return faulty.apply(place + e.getMessage());
    }
  }

  /** What it is repeated for is a control of the dashboard, which may not be saved yet. */
  private static String alone(String draft) {
    try {
      var read = JsonMapper.shared().readTree(draft);
      if (read instanceof ObjectNode fields) {
        fields.remove("repeat");
        return fields.toString();
      }
      return draft;
    } catch (JacksonException e) {
      // Reading it as a definition says where the fault is.
      return draft;
    }
  }

  /**
   * A panel that is being edited.
   *
   * @param draft its part of the document, as JSON
   */
  @PostMapping("/dashboards/{name}/draft")
  @ResponseBody
  PanelDrawing.PanelAnswer drafted(
      @PathVariable String name, @RequestParam String draft, HttpServletRequest request) {
    var size = PanelDrawing.Size.of(request);
    return parsed(
        draft,
        panel -> PanelDrawing.draw(panel, drawing.result(need(name), panel, size, request)),
        PanelDrawing::faulty);
  }

  /**
   * The sheet of a panel.
   *
   * @param ledger its lines; null if they can't be read
   * @param summary what was read, in words
   * @param strip every kind, drawn from the same data; null if nothing was read
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Sheet(
      PanelDrawing.PanelAnswer panel,
      List<QueryOutline.Line> ledger,
      String summary,
      List<Small> strip) {}

  /**
   * A kind of panel, with the own data.
   *
   * @param fits whether it draws the data as it is
   * @param steps that would do, as text; empty if it fits, or if none are known
   * @param drawing null if there is nothing to draw
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Small(String kind, boolean fits, List<String> steps, Drawing drawing) {}

  @PostMapping("/dashboards/{name}/sheet")
  @ResponseBody
  Sheet sheet(@PathVariable String name, @RequestParam String draft, HttpServletRequest request) {
    var size = PanelDrawing.Size.of(request);
    return parsed(
        draft,
        panel -> {
          var result = drawing.result(need(name), panel, size, request);
          var answered = result.answered();
          if (answered == null) {
            return new Sheet(PanelDrawing.draw(panel, result), List.of(), "", strip(panel, result));
          }
          var asked = result.asked();
          var range = new vintrel.core.unit.TimeText.Range(asked.from(), asked.to());
          var stats = answered.answer().stats();
          return new Sheet(
              PanelDrawing.draw(panel, result),
              QueryOutline.of(answered.query(), answered.answer(), range, asked.zone()),
              "%,d samples in %.0f ms".formatted(stats.samples(), stats.millis()),
              strip(panel, result));
        },
        text -> new Sheet(PanelDrawing.faulty(text), null, null, null));
  }

  private static List<Small> strip(Dashboard.Panel panel, PanelDrawing.Result result) {
    var out = new ArrayList<Small>();
    var asked = sized(result.asked(), SMALL_WIDTH, SMALL_HEIGHT);
    // Kinds that need the same are fitted once.
    var fits = new EnumMap<Need, Fit.Result>(Need.class);
    for (var kind : PanelKinds.ALL) {
      boolean same = kind.word().equals(panel.kind().word());
      out.add(small(same ? result.panel().kind() : kind, result.answered(), asked, fits));
    }
    return out;
  }

  private static Small small(
      PanelKind kind, Queries.Answered answered, Asked asked, Map<Need, Fit.Result> fits) {
    boolean note = kind.need() == Need.NOTHING;
    if (note || answered == null || answered.empty() != null) {
      return new Small(kind.word(), note, List.of(), null);
    }
    var fit =
        fits.computeIfAbsent(
            kind.need(),
            need -> Fit.of(answered.query(), answered.answer(), need, asked.from(), asked.to()));
    var steps =
        fit.fits() || fit.proposals().isEmpty()
            ? List.<String>of()
            : fit.proposals().getFirst().steps();
    boolean drawable =
        kind.need() != Need.SERIES || asked.frames().stream().anyMatch(Frame::drawable);
    return new Small(kind.word(), fit.fits(), steps, drawable ? kind.draw(asked) : null);
  }

  private static Asked sized(Asked a, int width, int height) {
    return new Asked(
        a.lines(),
        a.frames(),
        a.earlier(),
        a.from(),
        a.to(),
        a.zone(),
        a.unit(),
        a.limits(),
        width,
        height,
        width - 2,
        height - 2,
        a.palette());
  }

  /**
   * What a kind needs, what the lines give, and how to get there.
   *
   * @param needs the shape, in words
   * @param gives the shape, in words
   * @param mismatch in a few words
   * @param sample the first rows of what is given
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Fitted(
      String needs,
      String gives,
      String mismatch,
      boolean fits,
      TableView sample,
      List<Proposed> proposals,
      String fault) {}

  /**
   * A proposal with its picture.
   *
   * @param line that the steps are added to
   */
  record Proposed(
      String query,
      String line,
      List<String> steps,
      String text,
      String gives,
      String hides,
      String time,
      Drawing drawing) {}

  @PostMapping("/dashboards/{name}/fit")
  @ResponseBody
  Fitted fit(
      @PathVariable String name,
      @RequestParam String draft,
      @RequestParam(defaultValue = "600") int width,
      HttpServletRequest request) {
    return parsed(
        draft,
        panel -> {
          var dashboard = need(name);
          var ask = drawing.ask(dashboard, panel, width, request);
          var fitted = fitting.fit(ask, panel.kind().need(), panel.unit());
          var size = new PanelDrawing.Size(TRIED_WIDTH, TRIED_HEIGHT, 0, 0);
          var proposed = new ArrayList<Proposed>();
          for (var t : fitted.tried()) {
            var asked = drawing.asked(dashboard, panel, t.answered(), ask, size);
            proposed.add(
                new Proposed(
                    t.proposal().query(),
                    fitted.result().line(),
                    t.proposal().steps(),
                    t.proposal().text(),
                    t.gives(),
                    t.hides(),
                    Units.format(t.answered().answer().stats().millis(), "ms"),
                    panel.kind().draw(asked)));
          }
          return new Fitted(
              panel.kind().need().words(),
              fitted.result().gives(),
              fitted.result().mismatch(),
              fitted.result().fits(),
              sample(fitted, ask),
              proposed,
              null);
        },
        text -> new Fitted(null, null, null, false, null, List.of(), text));
  }

  private static TableView sample(Fitting.Fitted fitted, Queries.Ask ask) {
    return fitted.answered().answer().lines().stream()
        .filter(l -> l.name().equals(fitted.result().line()))
        .findFirst()
        .map(l -> TableView.of(Frames.sample(l.set(), SAMPLED), "", ask.zone(), SAMPLED))
        .orElse(null);
  }
}
