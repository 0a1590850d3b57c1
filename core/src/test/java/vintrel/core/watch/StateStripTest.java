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

  private static StateStrip strip(long from, long to, List<Span> spans) {
    var out = new StateStrip(from, to);
    spans.forEach(out::add);
    return out;
  }

  @Test
  void aShortAlertIsSeenInALongRange() {
    long week = 604_800_000L;
    var strip =
        strip(
            0,
            week,
            List.of(
                span(0, 300_000_000, WatchState.NORMAL),
                span(300_000_000, 300_010_000, WatchState.RAISED),
                span(300_010_000, week, WatchState.NORMAL)));
    assertThat(strip.boxes())
        .containsExactly(
            new StateStrip.Box(0, 119, WatchState.NORMAL, null),
            new StateStrip.Box(119, 1, WatchState.RAISED, Priority.HIGH),
            new StateStrip.Box(120, 120, WatchState.NORMAL, null));
    assertThat(strip.isQuiet()).isFalse();
    assertThat(strip(0, 10, List.of(span(0, 10, WatchState.NORMAL))).isQuiet()).isTrue();
  }

  @Test
  void boxesCoverWhatIsKnownOnceAndEachAlertIsSeen() {
    var random = new Random(3);
    for (int round = 0; round < 200; round++) {
      var spans = new ArrayList<Span>();
      long t = random.nextInt(1_000);
      while (t < 100_000) {
        long to = t + 1 + random.nextInt(round % 2 == 0 ? 20 : 20_000);
        spans.add(span(t, to, WatchState.values()[random.nextInt(8)]));
        t = to;
      }
      var boxes = strip(10_000, 60_000, spans).boxes();
      int end = 0;
      for (var box : boxes) {
        assertThat(box.x()).isGreaterThanOrEqualTo(end);
        assertThat(box.width()).isPositive();
        end = box.x() + box.width();
      }
      assertThat(end).isLessThanOrEqualTo(StateStrip.PLACES);
      for (var s : spans) {
        if (s.state() == WatchState.RAISED && s.to() > 10_000 && s.from() < 60_000) {
          double x = (Math.max(10_000, s.from()) - 10_000) / 50_000.0 * StateStrip.PLACES;
          assertThat(boxes)
              .anyMatch(
                  b ->
                      b.state() == WatchState.RAISED && b.x() <= x && b.x() + b.width() > x - 1e-9);
        }
      }
    }
    assertThat(strip(0, 10, List.of()).boxes()).isEmpty();
  }
}
