package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.util.HashMap;
import org.junit.jupiter.api.Test;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleStore;
import vintrel.core.store.StoreBusyException;

class StoreIntakeTest {
  private final SampleStore store = mock(SampleStore.class);

  @Test
  void differencesOfARefusedRequestAreNotCountedWhenItIsSentAgain() {
    var totals = new HashMap<Integer, Double>();
    when(store.append(any()))
        .thenThrow(new StoreBusyException("busy", 1))
        .thenReturn(new Receipt(2, 0, 0));
    var first = new StoreIntake(store, totals);
    assertThat(first.total(7, 5)).isEqualTo(5);
    assertThatThrownBy(first::keep).isInstanceOf(StoreBusyException.class);
    var again = new StoreIntake(store, totals);
    assertThat(again.total(7, 5)).isEqualTo(5);
    assertThat(again.total(7, 3)).isEqualTo(8);
    again.keep();
    assertThat(new StoreIntake(store, totals).total(7, 1)).isEqualTo(9);
  }

  @Test
  void whatTheStoreRefusesIsCountedWithItsReason() {
    when(store.append(any())).thenReturn(new Receipt(1, 2, 3));
    var outcome = new StoreIntake(store).keep();
    assertThat(outcome.refused()).isEqualTo(5);
    assertThat(outcome.why()).contains("older");
  }
}
