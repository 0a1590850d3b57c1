package vintrel.server.show;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import vintrel.core.define.Dashboard;
import vintrel.core.unit.TimeText;
import vintrel.server.ask.Queries;

/**
 * The picture in the list of a dashboard that nobody has opened since the server started: its first
 * panels are asked once. Any thread.
 */
@Component
class FirstPictures {
  private static final Logger LOG = LoggerFactory.getLogger(FirstPictures.class);

  /** Panels that are asked, and how long that may take, ms. */
  private static final int PANELS = 8;

  private static final long PATIENCE = 1_500;

  private static final int WIDTH = 300;

  private final Thumbnails thumbnails;
  private final PanelDrawing drawing;
  private final Queries queries;
  private final Clock clock;

  FirstPictures(Thumbnails thumbnails, PanelDrawing drawing, Queries queries, Clock clock) {
    this.thumbnails = thumbnails;
    this.drawing = drawing;
    this.queries = queries;
    this.clock = clock;
  }

  /** Returns at once if there is a picture, or if it was tried before. */
  void need(Dashboard dashboard, HttpServletRequest request) {
    if (!thumbnails.begin(dashboard)) {
      return;
    }
    long until = clock.millis() + PATIENCE;
    dashboard.panels().stream()
        .filter(p -> !p.query().isBlank())
        .limit(PANELS)
        .takeWhile(p -> clock.millis() < until)
        .forEach(p -> ask(dashboard, p, until, request));
  }

  private void ask(
      Dashboard dashboard, Dashboard.Panel panel, long until, HttpServletRequest request) {
    var asked = drawing.ask(dashboard, panel, WIDTH, request);
    boolean opensOn = panel.time().isEmpty() && !dashboard.range().isEmpty();
    var range =
        opensOn
            ? TimeText.range(dashboard.range(), "now", clock.instant(), asked.zone())
            : asked.range();
    var ask = asked.over(range).until(() -> clock.millis() >= until);
    try {
      var lines = queries.answer(ask).answer().lines();
      thumbnails.answered(
          dashboard.name(), panel.id(), lines, ask.range().from(), ask.range().to());
    } catch (RuntimeException e) {
      // Opened, the panel says what is wrong with it.
      LOG.debug("no picture of {} of {}: {}", panel.id(), dashboard.name(), e.getMessage());
    }
  }
}
