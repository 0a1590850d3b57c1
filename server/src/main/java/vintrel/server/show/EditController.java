package vintrel.server.show;

import jakarta.servlet.http.HttpServletRequest;
import java.util.List;
import java.util.Map;
import java.util.NoSuchElementException;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.define.Bundle;
import vintrel.core.define.Changes;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.define.Merge;
import vintrel.core.define.PanelSettings;
import vintrel.core.unit.Counts;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.define.StaleVersionException;
import vintrel.server.web.CurrentUser;

/** Editing a dashboard in place: its document goes to the page, and comes back as a whole. */
@Controller
class EditController {
  /** Values of a control that are named while it is made. */
  private static final int OFFERED = 6;

  private final Definitions definitions;
  private final Titles titles;
  private final ControlValues controls;

  EditController(Definitions definitions, Titles titles, ControlValues controls) {
    this.controls = controls;
    this.definitions = definitions;
    this.titles = titles;
  }

  /**
   * What the page edits.
   *
   * @param kinds of panels with their settings
   */
  record Draft(Map<String, Object> document, int version, List<PanelSettings.Kind> kinds) {}

  @GetMapping("/dashboards/{name}/document")
  @ResponseBody
  Draft document(@PathVariable String name) {
    var stored = definitions.find("dashboard", name);
    if (stored == null) {
      throw new NoSuchElementException("no dashboard named `" + name + "`");
    }
    return new Draft(Dashboard.current(stored.content()), stored.version(), PanelSettings.all());
  }

  /**
   * Two versions as one.
   *
   * @param theirs the version in force, which the merged one is based on from now on
   * @param version its number
   * @param both what both sides changed
   * @param back what was deleted here and changed there
   */
  record Merged(
      Map<String, Object> document,
      Map<String, Object> theirs,
      int version,
      List<String> both,
      List<String> back) {}

  /**
   * Merges changes that are not saved yet with what somebody saved meanwhile. Nothing is saved.
   *
   * @param basis the document that was changed, as JSON
   * @param mine what became of it, as JSON
   */
  @PostMapping("/dashboards/{name}/merge")
  @ResponseBody
  Merged merge(@PathVariable String name, @RequestParam String basis, @RequestParam String mine) {
    var now = document(name);
    var merged = Merge.of(basis, mine, now.document());
    return new Merged(
        merged.document(), now.document(), now.version(), merged.both(), merged.back());
  }

  /**
   * What became of a save.
   *
   * @param version in force now
   * @param by who saved meanwhile; empty if this was saved
   * @param changes that were made meanwhile, in words
   * @param faults of the document; empty if it was saved
   */
  record Saved(int version, String by, List<String> changes, List<String> faults) {}

  /**
   * Saves a whole dashboard.
   *
   * @param document as JSON
   * @param version that the changes are based on
   */
  @PostMapping("/dashboards/{name}/save")
  @ResponseBody
  ResponseEntity<Saved> save(
      @PathVariable String name, @RequestParam String document, @RequestParam int version) {
    try {
      read(name, document);
      var saved = definitions.save(document, version, CurrentUser.name(), Origin.PAGE);
      return ResponseEntity.ok(new Saved(saved.stored().version(), "", List.of(), List.of()));
    } catch (DefinitionException e) {
      return ResponseEntity.status(HttpStatus.UNPROCESSABLE_ENTITY)
          .body(new Saved(version, "", List.of(), e.faults()));
    } catch (StaleVersionException e) {
      return ResponseEntity.status(HttpStatus.PRECONDITION_FAILED)
          .body(
              new Saved(
                  e.version(),
                  definitions.find("dashboard", name) == null
                      ? "another user, who deleted it"
                      : definitions.find("dashboard", name).by(),
                  e.since().stream().map(Changes.Change::words).toList(),
                  List.of()));
    }
  }

  /**
   * What a control offers just now.
   *
   * @param words how many values, and the first of them; or why there are none
   * @param fault whether something is wrong with it
   */
  record Offer(String words, boolean fault) {
    static Offer of(ControlValues.View view) {
      if (!view.fault().isEmpty()) {
        return new Offer(view.fault(), true);
      }
      if (view.kind().equals("text")) {
        return new Offer("", false);
      }
      var all = view.choices().stream().map(ControlValues.Choice::value).toList();
      var first = String.join(", ", all.subList(0, Math.min(OFFERED, all.size())));
      return new Offer(
          all.isEmpty()
              ? "No values now."
              : Counts.of(all.size(), "value") + ": " + first + (all.size() > OFFERED ? ", …" : ""),
          false);
    }
  }

  /**
   * @param offers of the controls, in their order; empty if there are faults
   */
  record Offers(List<Offer> offers, List<String> faults) {}

  /**
   * What controls offer that are not saved yet.
   *
   * @param document of a dashboard, as JSON
   */
  @PostMapping("/dashboards/{name}/offers")
  @ResponseBody
  Offers offers(
      @PathVariable String name, @RequestParam String document, HttpServletRequest request) {
    try {
      var dashboard = read(name, document);
      var offers = controls.views(dashboard, request).stream().map(Offer::of).toList();
      return new Offers(offers, List.of());
    } catch (DefinitionException e) {
      return new Offers(List.of(), e.faults());
    }
  }

  private static Dashboard read(String name, String document) {
    var read = Bundle.parse(document).documents();
    boolean one =
        read.size() == 1
            && read.getFirst().definition() instanceof Definition.OfDashboard d
            && d.name().equals(name);
    if (!one) {
      throw new DefinitionException(List.of("expected the dashboard " + name));
    }
    return ((Definition.OfDashboard) read.getFirst().definition()).dashboard();
  }

  /**
   * What became of a copy.
   *
   * @param name of the new dashboard; empty if it was not saved
   * @param faults of the document; empty if it was saved
   */
  record Copied(String name, List<String> faults) {}

  /**
   * Saves a changed dashboard as a new one; the one that was changed stays as it is.
   *
   * @param document as JSON
   */
  @PostMapping("/dashboards/{name}/save-copy")
  @ResponseBody
  ResponseEntity<Copied> saveCopy(@PathVariable String name, @RequestParam String document) {
    try {
      var made = titles.copy(read(name, document));
      definitions.save(new Definition.OfDashboard(made), 0, CurrentUser.name(), Origin.PAGE);
      return ResponseEntity.ok(new Copied(made.name(), List.of()));
    } catch (DefinitionException e) {
      return ResponseEntity.status(HttpStatus.UNPROCESSABLE_ENTITY)
          .body(new Copied("", e.faults()));
    }
  }
}
