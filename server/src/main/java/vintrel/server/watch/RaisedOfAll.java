package vintrel.server.watch;

import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import org.springframework.stereotype.Component;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.SeriesState;

/** When there were alerts, of whichever rule. Any thread. */
@Component
public class RaisedOfAll {
  private final Watcher watcher;
  private final PastStates past;
  private final Clock clock;

  RaisedOfAll(Watcher watcher, PastStates past, Clock clock) {
    this.watcher = watcher;
    this.past = past;
    this.clock = clock;
  }

  /**
   * A stretch with alerts.
   *
   * @param from first ms
   * @param to last ms, exclusive
   * @param priority the highest of them, in lower case
   */
  public record Span(long from, long to, String priority) {}

  /**
   * The stretches of a range, by time and without overlaps. Of what was raised before it and
   * changed after it nothing is known.
   *
   * @param places into which the range is divided: nothing is told apart within one
   */
  public List<Span> in(TimeText.Range range, int places) {
    long now = clock.millis();
    var strip = past.active(range, now, places);
    for (var watched : watcher.rules()) {
      for (var series : watched.series.values()) {
        var state = series.now().state();
        boolean before = state.since() != SeriesState.NEVER && state.since() < range.from();
        if (before && state.state().isActive() && state.priority() != null) {
          strip.add(new Rehearsal.Span(range.from(), now, state.state(), state.priority()));
        }
      }
    }
    var out = new ArrayList<Span>();
    double wide = (double) (range.to() - range.from()) / places;
    for (var box : strip.boxes()) {
      long from = range.from() + Math.round(box.x() * wide);
      long to = range.from() + Math.round((box.x() + box.width()) * wide);
      var last = out.isEmpty() ? null : out.getLast();
      if (last != null && last.to == from && last.priority.equals(box.priority().text())) {
        out.set(out.size() - 1, new Span(last.from, to, last.priority));
      } else {
        out.add(new Span(from, to, box.priority().text()));
      }
    }
    return out;
  }
}
