package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import vintrel.core.series.Labels;
import vintrel.core.watch.Transition.Change;
import vintrel.core.watch.WatchState;

class AlarmListTest {
  private static final long MINUTE = 60_000;

  private static AlertLog.Past raised(long at, String site) {
    return new AlertLog.Past(
        "cpu",
        Labels.of("site", site),
        Change.RAISED,
        WatchState.BUILDING,
        WatchState.RAISED,
        at,
        1,
        "HIGH",
        "why");
  }

  /** By an independent walk: more than ten within ten minutes begin it, fewer than five end it. */
  @Test
  void aFloodBeginsAndEnds() {
    var random = new Random(3);
    for (int round = 0; round < 200; round++) {
      var some = new ArrayList<AlertLog.Past>();
      long at = 0;
      for (int i = 0; i < 40; i++) {
        at += random.nextInt(random.nextInt(4) == 0 ? 400_000 : 60_000);
        some.add(raised(at, "s"));
      }
      long now = at + random.nextInt(600_000);
      boolean on = false;
      for (var one : some) {
        long within =
            some.stream()
                .filter(o -> o.at() <= one.at() && o.at() > one.at() - FloodView.SPAN)
                .limit(some.indexOf(one) + 1L)
                .count();
        on = on ? within * 2 >= 10 : within > 10;
      }
      long late = some.stream().filter(o -> o.at() > now - FloodView.SPAN).count();
      boolean wanted = on && late * 2 >= 10;
      assertThat(FloodView.begin(some, 10, now) >= 0).as("round " + round).isEqualTo(wanted);
    }
    assertThat(FloodView.begin(List.of(), 10, 0)).isEqualTo(-1);
  }

  @Test
  void aFloodSaysWhatItsAlertsShare() {
    var some = new ArrayList<AlertLog.Past>();
    some.add(raised(MINUTE, "north-quay"));
    for (int i = 0; i < 14; i++) {
      some.add(raised(60 * MINUTE + i * 5_000, i == 3 ? "north-quay" : "mid-isles"));
    }
    var flood = FloodView.of(some, List.of(), 10, ZoneOffset.UTC, 62 * MINUTE);
    assertThat(flood.count()).isEqualTo("14 alerts in 2 min");
    assertThat(flood.shared()).isEqualTo("13 of them share site = mid-isles");
    assertThat(flood.order().getFirst().since()).isEqualTo("+0 s");
    assertThat(flood.order().get(1).since()).isEqualTo("+5 s");
    assertThat(flood.later()).isEqualTo(6);
    assertThat(flood.rules().getFirst().count()).isEqualTo(14);
    assertThat(flood.bars().stream().mapToInt(FloodView.Bar::count).sum()).isEqualTo(14);
    assertThat(FloodView.of(some.subList(0, 10), List.of(), 10, ZoneOffset.UTC, 62 * MINUTE))
        .isNull();
  }
}
