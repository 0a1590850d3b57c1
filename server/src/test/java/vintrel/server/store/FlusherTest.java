package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.spy;
import static org.mockito.Mockito.when;

import java.io.IOException;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.ChunkWriter;
import vintrel.core.chunk.Merge;
import vintrel.core.chunk.Samples;
import vintrel.core.store.HeadSamples;
import vintrel.core.store.Journal;
import vintrel.core.store.JournalCodec;
import vintrel.core.store.SampleBatch;
import vintrel.server.RunningServer;
import vintrel.server.database.Database;

/** A flush that is cut off after any of its transactions loses nothing and doubles nothing. */
class FlusherTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static final int SERIES = 500;
  private static int nextSeries = 1_000_000;
  private static long nextChunk = 1_000_000;

  @TempDir Path folder;
  private final List<Integer> ids =
      IntStream.range(nextSeries, nextSeries + SERIES).boxed().toList();
  private final Map<Integer, TreeMap<Long, Double>> sent = new HashMap<>();
  private Database database;
  private HeadSamples heads;
  private Journal journal;
  private Chunks chunks;
  private Recovery.OpenRows openRows;
  private boolean late = true;

  private void open(Database real) {
    nextSeries += SERIES;
    database = real;
    heads = new HeadSamples(3_600_000, 3_600_000);
    var recovery = new Recovery(database, heads);
    recovery.dropUnfinished(folder);
    openRows = recovery.loadOpenChunks();
    journal = recovery.replayJournal(folder);
    chunks = new Chunks(database, 50_000_000);
  }

  private Flusher flusher(Database with) {
    var raw = mock(Rollup.Raw.class);
    when(raw.newest(org.mockito.ArgumentMatchers.anyInt())).thenReturn(Long.MIN_VALUE);
    var given = new ChunkIds(nextChunk += 100_000);
    return new Flusher(
        with,
        heads,
        chunks,
        given,
        new Rollup(database, chunks, given, raw, 3_600_000),
        journal,
        new StoreStats(),
        openRows);
  }

  /** Some samples of each series, a few of them late or at a time that was there. */
  private void send(long from, int count, Random random) throws IOException {
    var batch = new SampleBatch();
    for (int id : ids) {
      for (int i = 0; i < count; i++) {
        long time =
            from + i * 1000L - (late && random.nextInt(50) == 0 ? random.nextInt(100) * 500L : 0);
        batch.add(id, time, random.nextInt(1000));
      }
    }
    for (int i = 0; i < batch.size(); i++) {
      sent.computeIfAbsent(batch.series(i), s -> new TreeMap<>())
          .put(batch.time(i), batch.value(i));
    }
    journal.append(JournalCodec.encode(batch));
    heads.put(batch);
  }

  private void flush(Flusher flusher) {
    journal.rotate();
    flusher.flush(heads.snapshot(), journal.sequence());
    flusher.settle();
  }

  private static Database failingAt(Database real, int call) {
    var spied = spy(real);
    var calls = new AtomicInteger();
    doAnswer(
            run -> {
              if (calls.incrementAndGet() >= call) {
                throw new IllegalStateException("cut off");
              }
              return run.callRealMethod();
            })
        .when(spied)
        .run(any());
    return spied;
  }

  private void assertAllThere(boolean merged) {
    var counted = new AtomicInteger();
    heads.minutes(0, Long.MAX_VALUE, (minute, n) -> counted.addAndGet(n));
    assertThat(counted.get()).isEqualTo((int) heads.size());
    var written = chunks.read(ids, null, Long.MIN_VALUE / 2, Long.MAX_VALUE / 2);
    for (int i = 0; i < ids.size(); i++) {
      var runs =
          new java.util.ArrayList<Samples>(
              written.get(i).stream().map(c -> ChunkCodec.decode(c.data())).toList());
      runs.addAll(heads.read(ids.get(i), Long.MIN_VALUE, Long.MAX_VALUE));
      var all = Merge.of(runs);
      var found = new TreeMap<Long, Double>();
      for (int k = 0; k < all.count(); k++) {
        found.put(all.times()[k], all.values()[k]);
      }
      assertThat(found).isEqualTo(sent.get(ids.get(i)));
      if (!merged) {
        // Late samples may stand in two runs, the same ones never all.
        assertThat(runs.stream().mapToInt(Samples::count).sum())
            .isLessThan(all.count() + (late ? ChunkCodec.FULL / 2 : 1));
      }
    }
  }

  /** At the first part, the second, the mark, what was replaced, nothing. */
  @ParameterizedTest
  @ValueSource(ints = {1, 2, 3, 4, 99})
  void cutOff(int call) throws IOException {
    var random = new Random(call);
    // Then the second flush leaves no open run, and is one part: the first's row must not come
    // back.
    late = call != 4;
    var real = server.bean(Database.class);
    open(real);
    long start = System.currentTimeMillis() - 3_000_000;
    send(start, 600, random);
    var whole = flusher(real);
    flush(whole);
    assertThat(whole.wrote()).isTrue();
    whole.close();
    openRows = new Recovery(real, new HeadSamples(1, 1)).loadOpenChunks();
    send(start + 600_000, late ? 600 : 424, random);
    var cut = flusher(failingAt(real, late ? call : 3));
    flush(cut);
    assertThat(cut.wrote()).isEqualTo(call == 99);
    cut.close();
    assertAllThere(true);

    journal.close();
    open(real);
    assertAllThere(false);
    send(start + 1_200_000, 100, random);
    var after = flusher(real);
    flush(after);
    assertThat(after.wrote()).isTrue();
    after.close();
    journal.close();
    open(real);
    assertThat(openRows.replaced()).isEmpty();
    assertAllThere(false);
    journal.close();
  }

  /** A page that is read between the commit of a row and its announcement holds the row once. */
  @Test
  void whatAReaderSawBeforeItWasAnnouncedIsNotSeenTwice() {
    var real = server.bean(Database.class);
    var cache = new Chunks(real, 50_000_000);
    var given = new ChunkIds(nextChunk += 100_000);
    int series = 900_001;
    long start = System.currentTimeMillis() - 3_000_000;
    for (int i = 0; i < 5; i++) {
      var samples = Samples.of(new long[] {start + i, start + 100 + i}, new double[] {i, i});
      var row = ChunkRow.of(given.next(), series, samples, true, 0, new ChunkWriter());
      real.run(s -> s.insert(row));
      if (i % 2 == 1) {
        cache.forget();
        assertThat(read(cache, series)).hasSize(i + 1);
      }
      cache.written(List.of(row));
      assertThat(read(cache, series)).as("row %d", i).hasSize(i + 1);
    }
    // Asked for twice in one question, as two stretches of a series are.
    cache.forget();
    var twice = cache.read(List.of(series, series), null, Long.MIN_VALUE / 2, Long.MAX_VALUE / 2);
    assertThat(twice).hasSize(2).allSatisfy(rows -> assertThat(rows).hasSize(5));
    assertThat(read(cache, series)).hasSize(5);
  }

  private static List<Chunks.Chunk> read(Chunks cache, int series) {
    return cache.read(List.of(series), null, Long.MIN_VALUE / 2, Long.MAX_VALUE / 2).getFirst();
  }

  /** Another server on the database starts meanwhile: its journal knows nothing of this flush. */
  @Test
  void whoHasNoJournalDeletesNothing(@TempDir Path elsewhere) throws IOException {
    var real = server.bean(Database.class);
    open(real);
    send(System.currentTimeMillis() - 3_000_000, 600, new Random(2));
    var cut = flusher(failingAt(real, 2));
    flush(cut);
    cut.close();
    long before = rows(real);
    var other = new Recovery(real, new HeadSamples(1, 1));
    other.dropUnfinished(elsewhere);
    other.loadOpenChunks();
    assertThat(rows(real)).isEqualTo(before);
    new Recovery(real, new HeadSamples(1, 1)).dropUnfinished(folder);
    assertThat(rows(real)).isLessThan(before);
    journal.close();
  }

  private static long rows(Database real) {
    return real.with(
        s -> s.createSelectionQuery("select count(*) from Chunk", Long.class).getSingleResult());
  }

  @Test
  void whatFailedIsWrittenByTheNextFlush() throws IOException {
    var random = new Random(4);
    var real = server.bean(Database.class);
    open(real);
    long start = System.currentTimeMillis() - 3_000_000;
    var calls = new AtomicInteger();
    var once = spy(real);
    doAnswer(
            run -> {
              if (calls.incrementAndGet() == 2) {
                throw new IllegalStateException("once");
              }
              return run.callRealMethod();
            })
        .when(once)
        .run(any());
    var flusher = flusher(once);
    send(start, 600, random);
    flush(flusher);
    assertThat(flusher.wrote()).isFalse();
    send(start + 600_000, 50, random);
    flush(flusher);
    assertThat(flusher.wrote()).isTrue();
    assertAllThere(false);
    flusher.close();
    journal.close();
    open(real);
    assertAllThere(false);
    journal.close();
  }
}
