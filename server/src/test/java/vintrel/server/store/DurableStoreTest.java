package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleBatch;
import vintrel.server.RunningServer;
import vintrel.server.database.Database;

class DurableStoreTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static int series(DurableStore store, String host) {
    return store.resolve(new SeriesKey("m", Labels.of("host", host)), MetricKind.GAUGE, "%");
  }

  @Test
  void samplesAreTheSameAfterFlushesAndRestarts() throws IOException {
    long now = System.currentTimeMillis() / 1000 * 1000;
    var random = new Random(3);
    var expected = new TreeMap<Long, Double>();
    for (int round = 0; round < 3; round++) {
      var store = server.bean(DurableStore.class);
      int id = series(store, "a");
      var batch = new SampleBatch();
      for (int i = 0; i < 2000; i++) {
        long time = now - 8_000_000 + round * 2_000_000L + i * 1000L - random.nextInt(900);
        batch.add(id, time, i + round * 10_000);
        expected.put(time, (double) (i + round * 10_000));
      }
      assertThat(store.append(batch).accepted()).isEqualTo(2000);
      assertSame(store, id, expected);
      server.stop();
      try (var files = Files.list(server.data().resolve("journal"))) {
        assertThat(files).as("a clean stop leaves nothing in the journal").isEmpty();
      }
      server.start();
      var again = server.bean(DurableStore.class);
      assertThat(series(again, "a")).isEqualTo(id);
      assertSame(again, id, expected);
      assertThat(again.newest(id)).isEqualTo(expected.lastKey());
    }
  }

  private static void assertSame(DurableStore store, int id, TreeMap<Long, Double> expected) {
    var found = store.read(id, Long.MIN_VALUE / 2, Long.MAX_VALUE / 2);
    assertThat(Arrays.copyOf(found.times(), found.count()))
        .containsExactly(expected.keySet().stream().mapToLong(t -> t).toArray());
    assertThat(Arrays.copyOf(found.values(), found.count()))
        .containsExactly(expected.values().stream().mapToDouble(v -> v).toArray());
  }

  @Test
  void aDamagedChunkIsLeftOutAndTheRestStaysReadable() {
    var store = server.bean(DurableStore.class);
    int id = series(store, "damaged");
    long start = System.currentTimeMillis() - 4_000_000;
    var batch = new SampleBatch();
    for (int i = 0; i < 1300; i++) {
      batch.add(id, start + i * 1000L, i);
    }
    store.append(batch);
    server.stop();
    server.start();
    server
        .bean(Database.class)
        .run(
            s -> {
              var rows =
                  s.createSelectionQuery(
                          "from Chunk where seriesId = :id and sealed = true order by id",
                          ChunkRow.class)
                      .setParameter("id", id)
                      .getResultList();
              assertThat(rows).hasSize(2);
              rows.getFirst().data[20] ^= 1;
              s.update(rows.getFirst());
            });
    var found = server.bean(DurableStore.class).read(id, 0, Long.MAX_VALUE / 2);
    assertThat(found.count()).isEqualTo(1300 - 512);
    assertThat(found.values()[0]).isEqualTo(512);
  }

  @Test
  void densityCountsWhatIsInMemoryAndWhatIsWritten() {
    var store = server.bean(DurableStore.class);
    int id = series(store, "density");
    long start = 1_700_000_000_000L;
    long now = System.currentTimeMillis();
    var batch = new SampleBatch();
    for (int i = 0; i < 100; i++) {
      batch.add(id, now - 100_000 + i * 1000L, i);
    }
    store.append(batch);
    assertThat(Arrays.stream(store.density(now - 100_000, now, 10)).sum())
        .isGreaterThanOrEqualTo(100);
    assertThat(Arrays.stream(store.density(start, start + 1000, 10)).sum()).isZero();
  }

  /** Asked before and after each flush, over minutes and days, what arrived is all there. */
  @Test
  void densityKeepsUpWithWhatIsWritten() {
    var store = server.bean(DurableStore.class);
    long day = 86_400_000;
    // Over midnight, so that two days are kept up.
    long start = System.currentTimeMillis() / day * day - 3 * day - 6_000_000;
    long before = Arrays.stream(store.density(start, start + 12_000_000, 40)).sum();
    for (int round = 1; round <= 3; round++) {
      int id = series(store, "density-" + round);
      var batch = new SampleBatch();
      for (int i = 0; i < 4_000; i++) {
        batch.add(id, start + i * 3000L, i);
      }
      store.append(batch);
      for (int turn = 0; turn < 2; turn++) {
        var parts = store.density(start, start + 12_000_000, 40);
        assertThat(Arrays.stream(parts).sum() - before)
            .as("round %d, turn %d", round, turn)
            .isBetween(round * 4_000L - 40, round * 4_000L + 40);
        for (long part : parts) {
          assertThat(part).isBetween(round * 93L, round * 107L + before);
        }
        var wide = store.density(start - 10 * day, start + day, 24);
        assertThat(Arrays.stream(wide).sum()).isGreaterThanOrEqualTo(round * 4_000L - 24);
        store.flush();
      }
    }
  }

  @Test
  void flushesThatAreAskedForAtOnceWriteEveryRunOnce() {
    var store = server.bean(DurableStore.class);
    int id = series(store, "flushed");
    long start = System.currentTimeMillis() / 1000 * 1000 - 5_000_000;
    var threads = new ArrayList<Thread>();
    for (int part = 0; part < 8; part++) {
      var batch = new SampleBatch();
      for (int i = 0; i < 600; i++) {
        batch.add(id, start + (part * 600 + i) * 1000L, i);
      }
      store.append(batch);
      threads.add(Thread.startVirtualThread(store::flush));
    }
    threads.forEach(
        t -> {
          try {
            t.join();
          } catch (InterruptedException e) {
            throw new IllegalStateException(e);
          }
        });
    long written =
        server
            .bean(Database.class)
            .with(
                s ->
                    s.createSelectionQuery(
                            "select sum(sampleCount) from Chunk where tier = 0 and seriesId = :id",
                            Long.class)
                        .setParameter("id", id)
                        .getSingleResult());
    assertThat(written).isEqualTo(4800);
    assertThat(store.read(id, 0, Long.MAX_VALUE / 2).count()).isEqualTo(4800);
  }

  /** A flush of several parts, with pages that are present, come in meanwhile, or are not there. */
  @Test
  void whoReadsWhileAFlushIsWrittenMissesNothing() throws Exception {
    var store = server.bean(DurableStore.class);
    int series = 700;
    int samples = 520;
    var ids = new int[series];
    for (int k = 0; k < series; k++) {
      ids[k] = series(store, "busy-" + k);
    }
    long start = System.currentTimeMillis() / 1000 * 1000 - 3_000_000;
    var acknowledged = new AtomicInteger();
    var over = new AtomicBoolean();
    var reads = new AtomicInteger();
    var readers = Executors.newFixedThreadPool(2);
    try {
      var found = new ArrayList<Future<String>>();
      for (int reader = 0; reader < 2; reader++) {
        int seed = reader;
        found.add(
            readers.submit(
                () -> {
                  var random = new Random(seed);
                  while (!over.get()) {
                    int id = ids[random.nextInt(series / 2)];
                    int least = acknowledged.get();
                    var read = store.read(id, start, start + 10_000_000);
                    if (read.count() < least) {
                      return "%d of %d samples".formatted(read.count(), least);
                    }
                    reads.incrementAndGet();
                  }
                  return "";
                }));
      }
      for (int round = 0; round < 3; round++) {
        var batch = new SampleBatch();
        for (int id : ids) {
          for (int i = 0; i < samples; i++) {
            batch.add(id, start + (round * samples + i) * 1000L, round + i);
          }
        }
        assertThat(store.append(batch).accepted()).isEqualTo(series * samples);
        acknowledged.addAndGet(samples);
        store.flush();
      }
      over.set(true);
      for (var f : found) {
        assertThat(f.get()).isEmpty();
      }
      assertThat(reads.get()).isPositive();
      for (int id : ids) {
        assertThat(store.read(id, start, start + 10_000_000).count()).isEqualTo(3 * samples);
      }
    } finally {
      over.set(true);
      readers.shutdown();
    }
  }
}
