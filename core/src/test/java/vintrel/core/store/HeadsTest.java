package vintrel.core.store;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.Merge;
import vintrel.core.chunk.Samples;

class HeadsTest {
  private static final long HOUR = 3_600_000;
  private final HeadSamples heads = new HeadSamples(HOUR, 600_000);

  private Receipt put(int series, long time, double value) {
    return put(series, time, value, Long.MAX_VALUE / 2);
  }

  private Receipt put(int series, long time, double value, long now) {
    var batch = new SampleBatch();
    batch.add(series, time, value);
    var admitted = heads.admit(batch, now, Long.MIN_VALUE, id -> Long.MIN_VALUE);
    heads.put(admitted.batch());
    return new Receipt(admitted.batch().size(), admitted.tooOld(), admitted.tooNew());
  }

  /** After each of many steps the counts by minute are those of the samples that are read. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3})
  void minutesAreCountedAsSamplesComeAndGo(long seed) {
    var random = new Random(seed);
    for (int i = 0; i < 4; i++) {
      var open = new Samples(new long[] {9_000_000 + i, 9_059_999}, new double[2], 2);
      heads.restore(10 + i, open, 9_000_000, 9_059_999, 10);
    }
    int live = 20;
    for (int i = 0; i < 8000; i++) {
      put(random.nextInt(live), 10_000_000 + i * 700L - random.nextInt(3_000_000), i);
      if (random.nextInt(300) == 0) {
        var snapshot = heads.snapshot();
        if (random.nextInt(4) == 0) {
          heads.unflushed(snapshot);
        } else {
          // One of them may be removed while a flush is under way.
          if (random.nextInt(3) == 0 && live > 12) {
            heads.remove(--live);
          }
          heads.flushed(snapshot);
        }
        heads.release();
        sameMinutes(live);
      }
    }
    for (int id = 0; id < 20; id++) {
      heads.remove(id);
    }
    heads.minutes(0, Long.MAX_VALUE, (at, n) -> assertThat(n).isZero());
  }

  private void sameMinutes(int live) {
    var expected = new TreeMap<Long, Integer>();
    long from = 9_030_000;
    long to = 14_000_001;
    for (int id = 0; id < live; id++) {
      for (var run : heads.read(id, Long.MIN_VALUE, Long.MAX_VALUE)) {
        for (int k = 0; k < run.count(); k++) {
          long minute = Math.floorDiv(run.times()[k], 60_000) * 60_000;
          if (minute + 60_000 > from && minute < to) {
            expected.merge(minute, 1, Integer::sum);
          }
        }
      }
    }
    var counted = new TreeMap<Long, Integer>();
    heads.minutes(from, to, counted::put);
    assertThat(counted).isEqualTo(expected);
  }

  /** Appends with disorder and duplicates while flushing at random; nothing is lost or doubled. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void headsAndChunksTogetherHoldEverySample(long seed) {
    var random = new Random(seed);
    var expected = new TreeMap<Long, Double>();
    var written = new ArrayList<Samples>();
    Samples open = Samples.EMPTY;
    long newest = 0;
    for (int i = 0; i < 5000; i++) {
      long time =
          10_000_000 + i * 1000L - random.nextInt(random.nextInt(20) == 0 ? 3_000_000 : 500);
      newest = Math.max(newest, time);
      if (time < newest - HOUR) {
        continue;
      }
      put(0, time, i);
      expected.put(time, (double) i);
      if (random.nextInt(200) == 0) {
        var snapshot = heads.snapshot();
        for (var p : snapshot) {
          p.full().forEach(r -> written.add(ChunkCodec.decode(ChunkCodec.encode(r.samples()))));
          open = p.open() == null ? Samples.EMPTY : p.open().samples();
        }
        heads.flushed(snapshot);
        heads.release();
      }
    }
    var runs = new ArrayList<>(written);
    runs.addAll(heads.read(0, Long.MIN_VALUE, Long.MAX_VALUE));
    var merged = Merge.of(runs);
    assertThat(merged.count()).isEqualTo(expected.size());
    for (int i = 0; i < merged.count(); i++) {
      assertThat(merged.values()[i]).isEqualTo(expected.get(merged.times()[i]));
    }
    assertThat(open.count()).isLessThan(ChunkCodec.FULL);
  }

  /** Late and repeated samples go beside a flush that is under way, not into what it writes. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void aSnapshotStaysAsItWas(long seed) {
    var random = new Random(seed);
    var all = new HashMap<Integer, TreeMap<Long, Double>>();
    var written = new HashMap<Integer, List<Samples>>();
    List<HeadSamples.Pending> snapshot = List.of();
    var as = new ArrayList<String>();
    int checked = 0;
    for (int i = 0; i < 12_000; i++) {
      int back = random.nextInt(3) == 0 ? random.nextInt(60) : 0;
      int series = random.nextInt(5) + (i > 6_000 ? 1 : 0);
      long time = 10_000_000 + (i - back) * 100L;
      put(series, time, i);
      all.computeIfAbsent(series, s -> new TreeMap<>()).put(time, (double) i);
      if (random.nextInt(200) != 0) {
        continue;
      }
      if (i > 6_000 && random.nextInt(5) == 0) {
        heads.remove(0);
        all.remove(0);
      }
      for (int k = 0; k < snapshot.size(); k++, checked++) {
        assertThat(text(snapshot.get(k))).isEqualTo(as.get(k));
      }
      as.clear();
      // A part is written, and the rest fails.
      int until = random.nextInt(snapshot.size() + 1);
      for (var p : snapshot.subList(0, until)) {
        var to = written.computeIfAbsent(p.series(), s -> new ArrayList<>());
        p.full().forEach(run -> to.add(run.samples()));
        heads.flushed(List.of(p));
      }
      heads.unflushed(snapshot.subList(until, snapshot.size()));
      heads.release();
      heads.cut(random.nextInt(3) == 0 ? random.nextInt(8_000) : Long.MAX_VALUE);
      all.forEach((id, wanted) -> same(id, written.getOrDefault(id, List.of()), wanted));
      snapshot = heads.snapshot();
      snapshot.forEach(p -> as.add(text(p)));
    }
    assertThat(checked).isGreaterThan(100);
  }

  /**
   * Series that began together need more room together, just while a flush holds what they leave:
   * they take little more than the limit or the smallest runs, whichever is more, and lose nothing.
   */
  @ParameterizedTest
  @ValueSource(ints = {1, 3, 40})
  void memoryStaysNearItsLimitThoughAFlushIsSlow(int rounds) {
    long limit = 8_000_000;
    int series = 12_000;
    heads.limit(limit);
    var written = new HashMap<Integer, TreeMap<Long, Double>>();
    var wanted = new HashMap<Integer, TreeMap<Long, Double>>();
    List<HeadSamples.Pending> under = null;
    long most = 0;
    for (int i = 0; i < 200; i++) {
      var batch = new SampleBatch();
      for (int s = 0; s < series; s++) {
        long time = HOUR + i * 15_000L - (i % 7 == 3 && s % 5 == 0 ? 100_000 : 0);
        batch.add(s, time, i);
        if (s % 1000 == 0) {
          wanted.computeIfAbsent(s, k -> new TreeMap<>()).put(time, (double) i);
        }
      }
      heads.put(batch);
      most = Math.max(most, heads.bytes());
      if (under != null && i % rounds == 0) {
        for (var p : under) {
          if (p.series() % 1000 == 0) {
            p.full().forEach(r -> keep(written, p.series(), r.samples()));
          }
        }
        heads.flushed(under);
        heads.release();
        under = null;
      }
      if (under == null && heads.bytes() > limit) {
        heads.cut(limit / 4 * 3);
        under = heads.snapshot();
      }
    }
    // Of a flush that lasts 40 rounds, two runs of 32 that wait are inevitable.
    assertThat(most).isLessThan(rounds < 32 ? limit * 3 / 2 : limit * 15 / 4);
    for (var s : wanted.keySet()) {
      heads.read(s, Long.MIN_VALUE, Long.MAX_VALUE).forEach(r -> keep(written, s, r));
      assertThat(written.get(s)).isEqualTo(wanted.get(s));
    }
  }

  private static void keep(Map<Integer, TreeMap<Long, Double>> into, int series, Samples some) {
    var map = into.computeIfAbsent(series, k -> new TreeMap<>());
    for (int i = 0; i < some.count(); i++) {
      map.put(some.times()[i], some.values()[i]);
    }
  }

  /** Samples in order: a store whose runs are cut has the same typical intervals as another. */
  @Test
  void runsAreEndedBeforeMemoryIsFull() {
    var other = new HeadSamples(HOUR, 600_000);
    var random = new Random(8);
    long written = 0;
    long most = 0;
    int cut = 0;
    for (int i = 0; i < 1_000; i++) {
      var batch = new SampleBatch();
      for (int id = 0; id < 2_000; id++) {
        batch.add(id, i * 1_000L * (1 + id % 7) + random.nextInt(300), i);
      }
      heads.put(batch);
      other.put(batch);
      if (i % 10 == 9) {
        cut += heads.cut(4_000_000);
        var snapshot = heads.snapshot();
        written += snapshot.stream().flatMap(p -> p.full().stream()).mapToLong(Run::count).sum();
        heads.flushed(snapshot);
        heads.release();
        most = Math.max(most, heads.bytes());
      }
    }
    assertThat(cut).isPositive();
    assertThat(written + heads.size()).isEqualTo(2_000_000);
    assertThat(most).isLessThan(5_000_000).isLessThan(other.bytes() / 2);
    for (int id = 0; id < 2_000; id += 13) {
      assertThat(heads.interval(id)).isEqualTo(other.interval(id));
    }
  }

  /** Series that send nothing any more give their memory back too. */
  @Test
  void runsThatAreWrittenAlreadyAreEndedAsWell() {
    for (int i = 0; i < 64; i++) {
      put(0, i * 1000L, i);
    }
    heads.flushed(heads.snapshot());
    heads.release();
    assertThat(heads.snapshot()).isEmpty();
    heads.release();
    assertThat(heads.cut(0)).isEqualTo(1);
    var snapshot = heads.snapshot();
    assertThat(snapshot.getFirst().full().getFirst().count()).isEqualTo(64);
    assertThat(snapshot.getFirst().open()).isNull();
    heads.flushed(snapshot);
    heads.release();
    assertThat(heads.size()).isZero();
  }

  @Test
  void runsThatHaveRoomAreNotEnded() {
    for (int i = 0; i < 400; i++) {
      put(0, i * 1000L, i);
    }
    assertThat(heads.cut(512 * 16)).isZero();
    assertThat(heads.cut(512 * 16 - 1)).isEqualTo(1);
    assertThat(heads.read(0, 0, Long.MAX_VALUE).stream().map(Samples::count))
        .containsExactly(384, 16);
    for (int i = 400; i < 420; i++) {
      put(0, i * 1000L, i);
    }
    assertThat(heads.cut(0)).as("whole blocks of 32").isEqualTo(1);
    assertThat(heads.read(0, 0, Long.MAX_VALUE).stream().map(Samples::count))
        .containsExactly(384, 32, 4);
  }

  /** What was written and what is in memory are together what was put in. */
  private void same(int series, List<Samples> written, TreeMap<Long, Double> wanted) {
    var runs = new ArrayList<>(written);
    runs.addAll(heads.read(series, Long.MIN_VALUE, Long.MAX_VALUE));
    var merged = Merge.of(runs);
    var found = new TreeMap<Long, Double>();
    for (int i = 0; i < merged.count(); i++) {
      found.put(merged.times()[i], merged.values()[i]);
    }
    assertThat(found).isEqualTo(wanted);
  }

  private static String text(HeadSamples.Pending p) {
    var out = new StringBuilder();
    var all = new ArrayList<>(p.full());
    if (p.open() != null) {
      all.add(p.open());
    }
    for (var run : all) {
      var samples = run.samples();
      for (int i = 0; i < samples.count(); i++) {
        out.append(samples.times()[i]).append('=').append(samples.values()[i]).append(' ');
      }
    }
    return out.toString();
  }

  @Test
  void whatIsInMemoryIsCountedByEvenParts() {
    var random = new Random(9);
    var times = new ArrayList<Long>();
    for (int i = 0; i < 4_000; i++) {
      int series = random.nextInt(3);
      long time = 10_000_000L + i * 900L + series + 3L * random.nextInt(200);
      // Of equal times of a series one is kept.
      if (heads.read(series, time, time + 1).isEmpty()) {
        times.add(time);
      }
      put(series, time, i);
    }
    for (int n = 0; n < 300; n++) {
      long from = 9_500_000L + random.nextInt(4_000_000);
      long to = from + 1 + random.nextInt(n % 3 == 0 ? 100 : 3_000_000);
      var counts = new long[1 + random.nextInt(50)];
      heads.count(from, to, counts);
      var wanted = new long[counts.length];
      double part = (to - from) / (double) counts.length;
      times.stream()
          .filter(t -> t >= from && t < to)
          .forEach(t -> wanted[Math.min(wanted.length - 1, (int) ((t - from) / part))]++);
      assertThat(java.util.Arrays.stream(counts).sum())
          .isEqualTo(java.util.Arrays.stream(wanted).sum());
      for (int i = 0; i < counts.length; i++) {
        // A sample at the very edge of two parts may be on either side.
        assertThat(Math.abs(counts[i] - wanted[i])).as(from + " " + to).isLessThanOrEqualTo(1);
      }
    }
  }

  @Test
  void whatIsTooOldOrFromTheFutureIsCountedAndLeftOut() {
    put(3, 2 * HOUR, 1);
    assertThat(put(3, HOUR - 1, 1)).isEqualTo(new Receipt(0, 1, 0));
    assertThat(put(3, HOUR, 1)).isEqualTo(new Receipt(1, 0, 0));
    assertThat(put(3, 4 * HOUR, 1, 3 * HOUR)).isEqualTo(new Receipt(0, 0, 1));
    assertThat(heads.newest(3)).as("a refused sample leaves no trace").isEqualTo(2 * HOUR);
  }

  @Test
  void whatIsRefusedLeavesItsNeighboursInOrder() {
    put(1, 5 * HOUR, 0);
    var batch = new SampleBatch();
    batch.add(1, 5 * HOUR + 1, 1);
    batch.add(1, HOUR, 2);
    batch.add(1, 5 * HOUR + 2, 3);
    var admitted = heads.admit(batch, 5 * HOUR, Long.MAX_VALUE, id -> 0);
    assertThat(admitted.tooOld()).isEqualTo(1);
    assertThat(admitted.batch().size()).isEqualTo(2);
    assertThat(admitted.batch().value(1)).isEqualTo(3);
  }

  @Test
  void aFailedFlushIsDoneAgain() {
    put(0, 1, 1);
    var snapshot = heads.snapshot();
    assertThat(heads.snapshot()).isEmpty();
    heads.unflushed(snapshot);
    heads.release();
    assertThat(heads.snapshot()).hasSize(1);
  }

  @Test
  void journalPayloadsComeBackWhole() {
    var random = new Random(5);
    var batch = new SampleBatch();
    for (int i = 0; i < 120_000; i++) {
      batch.add(
          random.nextInt(1 << 20),
          random.nextLong() / 4,
          Double.longBitsToDouble(random.nextLong()));
    }
    var payloads = JournalCodec.encode(batch);
    assertThat(payloads)
        .hasSizeGreaterThan(1)
        .allMatch(p -> p.remaining() <= JournalCodec.MAX_BYTES);
    int at = 0;
    for (var payload : payloads) {
      var bytes = new byte[payload.remaining()];
      payload.get(bytes);
      var back = JournalCodec.decode(bytes);
      for (int i = 0; i < back.size(); i++, at++) {
        assertThat(back.series(i)).isEqualTo(batch.series(at));
        assertThat(back.time(i)).isEqualTo(batch.time(at));
        assertThat(Double.doubleToRawLongBits(back.value(i)))
            .isEqualTo(Double.doubleToRawLongBits(batch.value(at)));
      }
    }
    assertThat(at).isEqualTo(batch.size());
  }

  @Test
  void aSampleAtTheSameTimeTakesTheOldOnesPlaceAndIsCounted() {
    var heads = new HeadSamples(HOUR, HOUR);
    var batch = new SampleBatch();
    batch.add(3, 1000, 1);
    batch.add(3, 2000, 2);
    batch.add(3, 1000, 7);
    assertThat(heads.put(batch)).isEqualTo(1);
    var read = heads.read(3, 0, 5000).getFirst();
    assertThat(read.count()).isEqualTo(2);
    assertThat(read.values()[0]).isEqualTo(7);
    assertThat(heads.size()).isEqualTo(2);
    assertThat(heads.oldest()).isEqualTo(1000);
  }

  @Test
  void aSeriesThatWasRemovedTakesNothingMore() {
    var heads = new HeadSamples(HOUR, HOUR);
    var batch = new SampleBatch();
    batch.add(1, 1000, 1);
    heads.put(batch);
    heads.remove(1);
    assertThat(heads.newest(1)).isEqualTo(Long.MIN_VALUE);
    var admitted = heads.admit(batch, 2000, Long.MIN_VALUE, id -> Long.MIN_VALUE);
    assertThat(admitted.homeless()).isEqualTo(1);
    assertThat(admitted.tooOld()).isZero();
    assertThat(admitted.batch().size()).isZero();
  }
}
