package vintrel.server.collect;

import jakarta.servlet.http.HttpServletRequest;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RequestParam;
import vintrel.server.ask.RangeParams;
import vintrel.server.web.Duties;
import vintrel.server.web.PagePreferences;

/** The page Collect: what arrives, from where, and what does not. */
@Controller
class CollectController {
  private final Arrivals arrivals;
  private final RangeParams ranges;
  private final Duties duties;

  private final Rejections rejections;

  CollectController(Arrivals arrivals, RangeParams ranges, Duties duties, Rejections rejections) {
    this.rejections = rejections;
    this.duties = duties;
    this.arrivals = arrivals;
    this.ranges = ranges;
  }

  @GetMapping("/collect")
  String page(
      @RequestParam(defaultValue = "") String search, Model model, HttpServletRequest request) {
    fill(search, model, request);
    return "collect/collect";
  }

  @GetMapping("/collect/sources")
  String sources(
      @RequestParam(defaultValue = "") String search, Model model, HttpServletRequest request) {
    fill(search, model, request);
    return "collect/collect :: sources";
  }

  private void fill(String search, Model model, HttpServletRequest request) {
    model.addAttribute("search", search);
    model.addAttribute("troubles", duties.troubles());
    model.addAttribute("rejected", rejections.rows());
    model.addAttribute(
        "view", arrivals.view(ranges.of(request), PagePreferences.zone(request), search));
  }
}
