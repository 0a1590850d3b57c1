package vintrel.server.ask;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.Instant;
import org.springframework.stereotype.Component;
import vintrel.core.unit.TimeText;
import vintrel.server.web.PagePreferences;

/** The time range of a page, from its address; the last hour if that has none. */
@Component
public class RangeParams {
  private final Clock clock;

  RangeParams(Clock clock) {
    this.clock = clock;
  }

  /**
   * The range of a request's parameters from and to.
   *
   * @throws IllegalArgumentException in words for the person who typed it
   */
  public TimeText.Range of(HttpServletRequest request) {
    var from = request.getParameter("from");
    var to = request.getParameter("to");
    return TimeText.range(
        from == null ? "-1h" : from,
        to == null ? "now" : to,
        Instant.ofEpochMilli(clock.millis()),
        PagePreferences.zone(request));
  }
}
