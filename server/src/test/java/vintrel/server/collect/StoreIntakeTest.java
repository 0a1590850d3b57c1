package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.mockito.ArgumentCaptor;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.store.StoreBusyException;

class StoreIntakeTest {
  private final SampleStore store = mock(SampleStore.class);

  private StoreIntake intake(Map<Integer, Double> totals) {
    return new StoreIntake(store, "main", "test", null, totals, new Starts());
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
    new StoreIntake(store, "lab", "test", null, new HashMap<>(), new Starts())
        .series(key, vintrel.core.series.MetricKind.GAUGE, "");
    org.mockito.Mockito.verify(store)
        .resolve(key.in("lab"), vintrel.core.series.MetricKind.GAUGE, "");
  }

  private List<String> kept(long newest, Starts starts, long... startsAndTimes) {
    when(store.newest(7)).thenReturn(newest);
    var batches = ArgumentCaptor.forClass(SampleBatch.class);
    doReturn(new Receipt(1, 0, 0)).when(store).append(batches.capture());
    var intake = new StoreIntake(store, "main", "test", null, new HashMap<>(), starts);
    for (int i = 0; i < startsAndTimes.length; i += 2) {
      intake.began(7, startsAndTimes[i], startsAndTimes[i + 1]);
      intake.sample(7, startsAndTimes[i + 1], 5);
    }
    intake.keep();
    var batch = batches.getValue();
    return IntStream.range(0, batch.size())
        .mapToObj(i -> batch.time(i) + "=" + (long) batch.value(i))
        .toList();
  }

  @Test
  void aNewStartIsWrittenAsAZeroOnce() {
    var starts = new Starts();
    assertThat(kept(1000, starts, 5000, 60_000)).containsExactly("5000=0", "60000=5");
    assertThat(kept(60_000, starts, 5000, 70_000, 5000, 80_000))
        .containsExactly("70000=5", "80000=5");
    assertThat(kept(80_000, starts, 5000, 90_000, 95_000, 100_000))
        .as("a restart within one request")
        .containsExactly("90000=5", "95000=0", "100000=5");
    assertThat(kept(100_000, new Starts(), 95_000, 110_000))
        .as("after a start of the server")
        .containsExactly("110000=5");
  }

  @Test
  void aStartLongBeforeTheFirstSampleSaysNothingOfWhenItGrew() {
    assertThat(kept(Long.MIN_VALUE, new Starts(), 1000, 301_000))
        .containsExactly("1000=0", "301000=5");
    assertThat(kept(Long.MIN_VALUE, new Starts(), 1000, 301_001)).containsExactly("301001=5");
    assertThat(kept(Long.MIN_VALUE, new Starts(), 1000, 1000)).containsExactly("1000=5");
  }

  @Test
  void aStartOfARefusedRequestIsSaidAgain() {
    when(store.newest(7)).thenReturn(0L);
    when(store.append(any())).thenThrow(new StoreBusyException("busy", 1));
    var starts = new Starts();
    var intake = new StoreIntake(store, "main", "test", null, new HashMap<>(), starts);
    intake.began(7, 5000, 6000);
    assertThatThrownBy(intake::keep).isInstanceOf(StoreBusyException.class);
    assertThat(starts.get(7)).isZero();
  }
}
