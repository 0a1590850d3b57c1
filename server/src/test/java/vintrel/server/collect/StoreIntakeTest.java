package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.util.List;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.mockito.ArgumentCaptor;
import vintrel.core.chunk.Samples;
import vintrel.core.index.LabelIndex;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.store.StoreBusyException;

class StoreIntakeTest {
  private final SampleStore store = mock(SampleStore.class);

  private StoreSampleSink intake(CounterStarts starts) {
    return new StoreSampleSink(store, "main", Sender.own("test", Way.OTLP), null, starts);
  }

  private List<String> sent() {
    var batches = org.mockito.ArgumentCaptor.forClass(SampleBatch.class);
    org.mockito.Mockito.verify(store, org.mockito.Mockito.atLeastOnce()).append(batches.capture());
    var batch = batches.getValue();
    return IntStream.range(0, batch.size())
        .mapToObj(i -> batch.time(i) + "=" + batch.value(i))
        .toList();
  }

  @Test
  void differencesOfARefusedRequestAreNotCountedWhenItIsSentAgain() {
    var starts = new CounterStarts();
    when(store.newest(7)).thenReturn(Long.MIN_VALUE);
    when(store.append(any()))
        .thenThrow(new StoreBusyException("busy", 1))
        .thenReturn(new Receipt(2, 0, 0));
    var first = intake(starts);
    first.difference(7, 0, 1000, 5, true);
    assertThatThrownBy(first::keep).isInstanceOf(StoreBusyException.class);
    var again = intake(starts);
    again.difference(7, 0, 1000, 5, true);
    again.difference(7, 1000, 2000, 3, true);
    again.keep();
    assertThat(sent()).containsExactly("1000=5.0", "2000=8.0");
    when(store.newest(7)).thenReturn(2000L);
    var more = intake(starts);
    more.difference(7, 2000, 3000, 1, true);
    more.keep();
    assertThat(sent()).containsExactly("3000=9.0");
  }

  @Test
  void theFirstDifferenceCountsAndAPauseDoesNot() {
    when(store.newest(7)).thenReturn(Long.MIN_VALUE);
    when(store.append(any())).thenReturn(new Receipt(2, 0, 0));
    var intake = intake(new CounterStarts());
    intake.difference(7, 9_000_000, 10_000_000, 4, true);
    intake.difference(7, 10_000_000, 11_000_000, 2, true);
    intake.difference(7, 20_000_000, 21_000_000, 3, true);
    intake.keep();
    assertThat(sent())
        .containsExactly(
            "9000000=0.0", "10000000=4.0", "11000000=6.0", "20000000=6.0", "21000000=9.0");
  }

  @Test
  void aSumGoesOnFromWhatIsStoredAfterARestart() {
    var index = new LabelIndex();
    var series = new Series(0, new SeriesKey("m", Labels.NONE), MetricKind.COUNTER, "");
    index.add(series);
    when(store.catalog()).thenReturn(index);
    when(store.newest(0)).thenReturn(5000L);
    when(store.before(series, Long.MAX_VALUE))
        .thenReturn(Samples.of(new long[] {5000}, new double[] {41}));
    when(store.append(any())).thenReturn(new Receipt(2, 0, 0));
    var intake = intake(new CounterStarts());
    intake.difference(0, 5000, 6000, 1, true);
    intake.difference(0, 6000, 7000, -3, false);
    intake.keep();
    assertThat(sent()).containsExactly("6000=42.0", "7000=39.0");
  }

  @Test
  void whatIsRefusedIsToldWithItsMetrics() {
    when(store.append(any())).thenReturn(Receipt.NOTHING);
    var intake = intake(new CounterStarts());
    intake.refuse("a", 2, "no time");
    intake.refuse("b", 1, "no time");
    intake.refuse("c", 1, "no value");
    var outcome = intake.keep();
    assertThat(outcome.refused()).isEqualTo(4);
    assertThat(outcome.why()).isEqualTo("no time (`a`, `b`); no value (`c`)");
  }

  @Test
  void whatTheStoreRefusesIsCountedWithItsReason() {
    when(store.append(any())).thenReturn(new Receipt(1, 2, 3));
    var outcome = intake(new CounterStarts()).keep();
    assertThat(outcome.refused()).isEqualTo(5);
    assertThat(outcome.why()).contains("too old");
  }

  @Test
  void aSeriesGoesToTheStoreOfTheRequest() {
    var key = new vintrel.core.series.SeriesKey("m", vintrel.core.series.Labels.NONE);
    when(store.find(any())).thenReturn(-1);
    new StoreSampleSink(store, "lab", Sender.own("test", Way.OTLP), null, new CounterStarts())
        .series(key, vintrel.core.series.MetricKind.GAUGE, "");
    org.mockito.Mockito.verify(store)
        .resolve(key.in("lab"), vintrel.core.series.MetricKind.GAUGE, "");
  }

  private List<String> kept(long newest, CounterStarts starts, long... startsAndTimes) {
    when(store.newest(7)).thenReturn(newest);
    var batches = ArgumentCaptor.forClass(SampleBatch.class);
    doReturn(new Receipt(1, 0, 0)).when(store).append(batches.capture());
    var intake = new StoreSampleSink(store, "main", Sender.own("test", Way.OTLP), null, starts);
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
    var starts = new CounterStarts();
    assertThat(kept(1000, starts, 5000, 60_000)).containsExactly("5000=0", "60000=5");
    assertThat(kept(60_000, starts, 5000, 70_000, 5000, 80_000))
        .containsExactly("70000=5", "80000=5");
    assertThat(kept(80_000, starts, 5000, 90_000, 95_000, 100_000))
        .as("a restart within one request")
        .containsExactly("90000=5", "95000=0", "100000=5");
    assertThat(kept(100_000, new CounterStarts(), 95_000, 110_000))
        .as("after a start of the server")
        .containsExactly("110000=5");
  }

  @Test
  void aStartLongBeforeTheFirstSampleSaysNothingOfWhenItGrew() {
    assertThat(kept(Long.MIN_VALUE, new CounterStarts(), 1000, 301_000))
        .containsExactly("1000=0", "301000=5");
    assertThat(kept(Long.MIN_VALUE, new CounterStarts(), 1000, 301_001))
        .containsExactly("301001=5");
    assertThat(kept(Long.MIN_VALUE, new CounterStarts(), 1000, 1000)).containsExactly("1000=5");
  }

  @Test
  void aStartOfARefusedRequestIsSaidAgain() {
    when(store.newest(7)).thenReturn(0L);
    when(store.append(any())).thenThrow(new StoreBusyException("busy", 1));
    var starts = new CounterStarts();
    var intake = new StoreSampleSink(store, "main", Sender.own("test", Way.OTLP), null, starts);
    intake.began(7, 5000, 6000);
    assertThatThrownBy(intake::keep).isInstanceOf(StoreBusyException.class);
    assertThat(starts.get(7)).isZero();
  }
}
