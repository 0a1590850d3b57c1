package vintrel.core.watch;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import vintrel.core.watch.Rehearsal.Span;

class StateStripTest {
  private static Span span(long from, long to, WatchState state) {
    return new Span(from, to, state, state == WatchState.RAISED ? Priority.HIGH : null);
  }

  @Test
  void aShortAlertIsSeenInALongRange() {
    var week = 604_800_000L;
    var boxes =
        StateStrip.of(
            List.of(
                span(0, 300_000_000, WatchState.NORMAL),
                span(300_000_000, 300_010_000, WatchState.RAISED),
                span(300_010_000, week, WatchState.NORMAL)),
            0,
            week,
            500);
    assertThat(boxes)
        .extracting(StateStrip.Box::state)
        .containsExactly(WatchState.NORMAL, WatchState.RAISED, WatchState.NORMAL);
    assertThat(boxes.get(1).width()).isEqualTo(StateStrip.LEAST);
    assertThat(boxes.get(1).x()).isBetween(245.0, 250.0);
  }

  @Test
  void boxesCoverWhatIsKnownOnceAndAreFew() {
    var random = new Random(3);
    for (int round = 0; round < 200; round++) {
      var spans = new ArrayList<Span>();
      long t = random.nextInt(1_000);
      while (t < 100_000) {
        long to = t + 1 + random.nextInt(round % 2 == 0 ? 20 : 20_000);
        spans.add(span(t, to, WatchState.values()[random.nextInt(8)]));
        t = to;
      }
      var boxes = StateStrip.of(spans, 10_000, 60_000, 300);
      double end = 0;
      for (var box : boxes) {
        assertThat(box.x()).isGreaterThanOrEqualTo(end - 1e-9);
        assertThat(box.width()).isGreaterThanOrEqualTo(StateStrip.LEAST - 1e-9);
        end = box.x() + box.width();
      }
      assertThat(end).isLessThanOrEqualTo(300 + 1e-9);
      assertThat(boxes).hasSizeLessThanOrEqualTo(120);
      // Each alert is seen.
      for (var s : spans) {
        if (s.state() == WatchState.RAISED && s.to() > 10_000 && s.from() < 60_000) {
          double x = (Math.max(10_000, s.from()) - 10_000) / 50_000.0 * 300;
          assertThat(boxes)
              .anyMatch(
                  b ->
                      b.state() == WatchState.RAISED
                          && b.x() <= x + StateStrip.LEAST
                          && b.x() + b.width() >= x - StateStrip.LEAST);
        }
      }
    }
    assertThat(StateStrip.of(List.of(), 0, 10, 100)).isEmpty();
  }
}
