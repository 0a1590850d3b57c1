package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.util.HashMap;
import java.util.Map;
import org.junit.jupiter.api.Test;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleStore;
import vintrel.core.store.StoreBusyException;

class StoreIntakeTest {
  private final SampleStore store = mock(SampleStore.class);

  private StoreIntake intake(Map<Integer, Double> totals) {
    return new StoreIntake(store, "main", "test", null, totals);
  }

  @Test
  void differencesOfARefusedRequestAreNotCountedWhenItIsSentAgain() {
    var totals = new HashMap<Integer, Double>();
    when(store.append(any()))
        .thenThrow(new StoreBusyException("busy", 1))
        .thenReturn(new Receipt(2, 0, 0));
    var first = intake(totals);
    assertThat(first.total(7, 5)).isEqualTo(5);
    assertThatThrownBy(first::keep).isInstanceOf(StoreBusyException.class);
    var again = intake(totals);
    assertThat(again.total(7, 5)).isEqualTo(5);
    assertThat(again.total(7, 3)).isEqualTo(8);
    again.keep();
    assertThat(intake(totals).total(7, 1)).isEqualTo(9);
  }

  @Test
  void whatTheStoreRefusesIsCountedWithItsReason() {
    when(store.append(any())).thenReturn(new Receipt(1, 2, 3));
    var outcome = intake(new HashMap<>()).keep();
    assertThat(outcome.refused()).isEqualTo(5);
    assertThat(outcome.why()).contains("older");
  }

  @Test
  void aSeriesGoesToTheStoreOfTheRequest() {
    var key = new vintrel.core.series.SeriesKey("m", vintrel.core.series.Labels.NONE);
    when(store.find(any())).thenReturn(-1);
    new StoreIntake(store, "lab", "test", null, new HashMap<>())
        .series(key, vintrel.core.series.MetricKind.GAUGE, "");
    org.mockito.Mockito.verify(store)
        .resolve(key.in("lab"), vintrel.core.series.MetricKind.GAUGE, "");
  }
}
