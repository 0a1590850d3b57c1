package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.concurrent.ConcurrentSkipListSet;
import org.junit.jupiter.api.Test;
import vintrel.core.series.Labels;
import vintrel.core.series.SeriesKey;

/** What senders of histograms can make the server remember. */
class CounterStartsTest {
  @Test
  void boundsOfManyWideHistogramsAreNotAllRemembered() {
    var starts = new CounterStarts();
    for (int i = 0; i < 2_000; i++) {
      var key = new SeriesKey("h.bucket", Labels.of("n", "" + i));
      var bounds = new ConcurrentSkipListSet<Double>();
      starts.bounds.put(key, bounds);
      for (int k = 0; k < 500; k++) {
        bounds.add((double) k);
      }
      // It has grown since it was put first.
      starts.bounds.put(key, bounds);
    }
    starts.bounds.cleanUp();
    long all = starts.bounds.asMap().values().stream().mapToLong(java.util.Set::size).sum();
    assertThat(all).isLessThanOrEqualTo(300_000);
    assertThat(starts.bounds.asMap()).isNotEmpty();
  }
}
