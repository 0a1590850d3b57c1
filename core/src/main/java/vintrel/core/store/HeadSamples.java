package vintrel.core.store;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.List;
import java.util.function.BiConsumer;
import java.util.function.IntToLongFunction;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.Merge;
import vintrel.core.chunk.Samples;

/**
 * The newest samples of every series, in memory.
 *
 * <p>Each series has an open run, kept sorted, that is cut off as a full run at {@link
 * ChunkCodec#FULL} samples. A late sample is put where it belongs in the open run; when it is older
 * than a run that was cut off, the runs overlap and {@link Merge} sorts that out at reading time.
 *
 * <p>A flush is three calls: {@link #snapshot} (from the thread that appends, so that it is at a
 * known place of the journal), writing the {@link Pending} runs to the database, and {@link
 * #flushed}. Runs stay readable here until then, so a reader that looks at the heads first and at
 * the written chunks afterwards misses nothing. One thread appends; any thread may read.
 */
public final class HeadSamples {
  private final long lateMillis;
  private final long aheadMillis;
  private final BitSet gone = new BitSet();
  private final Slots slots = new Slots();

  /** Its lock is taken before that of a head. */
  private final MinuteCounts minutes = new MinuteCounts();

  private volatile Head[] heads = new Head[1024];
  private volatile long newest = Long.MIN_VALUE;

  /**
   * @param lateMillis how far behind the newest sample of its series a sample may come
   * @param aheadMillis how far ahead of the clock a sample may be
   */
  public HeadSamples(long lateMillis, long aheadMillis) {
    this.lateMillis = lateMillis;
    this.aheadMillis = aheadMillis;
  }

  /**
   * What a flush has to write for one series.
   *
   * @param full runs that are complete; each becomes a chunk for good
   * @param open the rest, which is written too but will be replaced by a later flush; null if none
   * @param interval what {@link #restore} needs of the typical interval; ms
   */
  public record Pending(int series, List<Run> full, Run open, long interval) {}

  /**
   * The part of a batch that may be kept, and how many samples were too old or too new for it.
   *
   * @param refusedSeries the first series of which a sample was, or -1
   * @param homeless samples of series that were removed
   */
  public record Admitted(
      SampleBatch batch, int tooOld, int tooNew, int refusedSeries, int homeless) {}

  /**
   * Decides what may be kept, before anything is written: what is in the journal is put into the
   * heads as it is, now and after a restart alike.
   *
   * @param now by the clock; if that went back, the newest sample is used instead
   * @param recent samples from this time on are not too old for any store
   * @param oldest by series id: samples before it are refused
   */
  public Admitted admit(SampleBatch batch, long now, long recent, IntToLongFunction oldest) {
    long future = Math.max(now, newest) + aheadMillis;
    SampleBatch kept = null;
    int tooOld = 0;
    int tooNew = 0;
    int homeless = 0;
    int refused = -1;
    for (int i = 0; i < batch.size(); i++) {
      long time = batch.time(i);
      boolean ahead = time > future;
      int id = batch.series(i);
      boolean out = gone.get(id);
      boolean behind = time < late(newest(id)) || (time < recent && time < oldest.applyAsLong(id));
      boolean refuse = ahead || behind || out;
      if (refuse && kept == null) {
        kept = batch.first(i);
      }
      refused = refuse && refused < 0 ? id : refused;
      homeless += out ? 1 : 0;
      tooNew += ahead && !out ? 1 : 0;
      tooOld += behind && !ahead && !out ? 1 : 0;
      if (!refuse && kept != null) {
        kept.add(batch.series(i), time, batch.value(i));
      }
    }
    return new Admitted(kept == null ? batch : kept, tooOld, tooNew, refused, homeless);
  }

  /**
   * Puts samples into the heads; called by one thread.
   *
   * @return how many took the place of one at the same time in the open run
   */
  public int put(SampleBatch batch) {
    int replaced = 0;
    long last = newest;
    synchronized (minutes) {
      for (int i = 0; i < batch.size(); i++) {
        last = Math.max(last, batch.time(i));
        var head = head(batch.series(i));
        synchronized (head) {
          if (batch.time(i) <= head.newest) {
            head.lateWrite = head.writes + 1;
          }
          if (head.put(batch.time(i), batch.value(i))) {
            replaced++;
          } else {
            minutes.add(batch.time(i), 1);
          }
          head.writes++;
        }
      }
    }
    newest = last;
    return replaced;
  }

  private long late(long newest) {
    return newest == Long.MIN_VALUE ? Long.MIN_VALUE : newest - lateMillis;
  }

  /** Samples of [from, to) that are in memory, not sorted against what is already written. */
  public List<Samples> read(int series, long from, long to) {
    var known = heads;
    if (series >= known.length || known[series] == null) {
      return List.of();
    }
    var h = known[series];
    var out = new ArrayList<Samples>();
    synchronized (h) {
      for (var run : h.full) {
        out.add(run.slice(from, to));
      }
      var open = h.open();
      if (open != null) {
        out.add(open.slice(from, to));
      }
    }
    out.removeIf(Samples::isEmpty);
    return out;
  }

  public long newest(int series) {
    var known = heads;
    return series < known.length && known[series] != null ? known[series].newest : Long.MIN_VALUE;
  }

  /** The time of the oldest sample that was ever taken, or {@link Long#MAX_VALUE}. */
  public long oldest(int series) {
    var known = heads;
    return series < known.length && known[series] != null ? known[series].oldest : Long.MAX_VALUE;
  }

  /**
   * The typical interval of a series, ms: the longest of the median intervals of its samples, taken
   * by blocks of 32 as they arrive (a late sample counts where it belongs within the newest 512);
   * before the first block is complete, the median of what is there; 0 of one sample. It does not
   * depend on flushes, and is the same after a restart; but where runs ended for want of memory
   * ({@link #cut}, {@link #limit}), a late sample counts in the run that is open then.
   */
  public long interval(int series) {
    var known = heads;
    if (series >= known.length || known[series] == null) {
      return 0;
    }
    var h = known[series];
    synchronized (h) {
      return h.interval();
    }
  }

  /** How many samples of a series were put in since the start. */
  public long writes(int series) {
    var known = heads;
    var h = series < known.length ? known[series] : null;
    if (h == null) {
      return 0;
    }
    synchronized (h) {
      return h.writes;
    }
  }

  /** What {@link #writes} was after the last sample that was not newer than all before it. */
  public long lateWrite(int series) {
    var known = heads;
    var h = series < known.length ? known[series] : null;
    if (h == null) {
      return 0;
    }
    synchronized (h) {
      return h.lateWrite;
    }
  }

  /** The time of the newest sample of all, or {@link Long#MIN_VALUE}. */
  public long newest() {
    return newest;
  }

  /** The time of the oldest sample in memory, or {@link Long#MAX_VALUE}. */
  public long oldest() {
    long out = Long.MAX_VALUE;
    for (var h : heads) {
      if (h != null) {
        synchronized (h) {
          var open = h.open();
          out = open == null ? out : Math.min(out, open.time(0));
          for (var run : h.full) {
            out = Math.min(out, run.time(0));
          }
        }
      }
    }
    return out;
  }

  /** Forgets a series for good. Called by the thread that appends. */
  public void remove(int series) {
    gone.set(series);
    var h = series < heads.length ? heads[series] : null;
    if (h == null) {
      return;
    }
    heads[series] = null;
    synchronized (minutes) {
      synchronized (h) {
        if (h.count > 0) {
          minutes.add(h.open(), -1);
        }
        h.full.forEach(run -> minutes.add(run, -1));
        // A flush that has some of it finds nothing left to take away.
        h.clear();
      }
      minutes.tidy();
    }
  }

  /** How many samples are held in memory. */
  public long size() {
    long out = 0;
    for (var h : heads) {
      if (h != null) {
        out += h.count + h.full.stream().mapToLong(Run::count).sum();
      }
    }
    return out;
  }

  /**
   * How many samples in memory lie in each minute that [from, to) touches; ms since the epoch.
   *
   * @param each takes the start of a minute and how many, in no order
   */
  public void minutes(long from, long to, BiConsumer<Long, Integer> each) {
    synchronized (minutes) {
      minutes.each(from, to, each::accept);
    }
  }

  /** Adds the samples in memory to counts by even parts of [from, to). Nothing is copied. */
  public void count(long from, long to, long[] counts) {
    for (var h : heads) {
      if (h != null) {
        synchronized (h) {
          if (h.count > 0) {
            count(h.open(), from, to, counts);
          }
          h.full.forEach(run -> count(run, from, to, counts));
        }
      }
    }
  }

  private static void count(Run run, long from, long to, long[] counts) {
    double part = (to - from) / (double) counts.length;
    int end = run.indexOf(to);
    // From part to part, not from sample to sample.
    for (int i = run.indexOf(from); i < end; ) {
      int p = Math.min(counts.length - 1, (int) ((run.time(i) - from) / part));
      int next = Math.clamp(run.indexOf((long) Math.ceil(from + (p + 1) * part)), i + 1, end);
      counts[p] += next - i;
      i = next;
    }
  }

  /**
   * Where runs take more than so many {@link #bytes}, one that would need more room ends with the
   * block of 32 that fills what it has, and becomes a shorter chunk.
   */
  public void limit(long bytes) {
    slots.limit(bytes);
  }

  /** Bytes of memory that runs take, those that a flush holds included. */
  public long bytes() {
    return slots.usedBytes();
  }

  /**
   * Ends open runs, the longest first, until those that stay open take no more than so many bytes;
   * they become shorter chunks. Runs of under 32 samples stay. Called by the thread that appends,
   * while no snapshot is under way.
   *
   * @return how many runs were ended
   */
  public int cut(long bytes) {
    var byRoom = new long[ChunkCodec.FULL + 1];
    long open = 0;
    for (var h : heads) {
      if (h != null) {
        byRoom[h.room()] += h.room();
        open += h.room();
      }
    }
    int least = ChunkCodec.FULL + 1;
    while (open * Slots.BYTES > bytes && least > 0) {
      open -= byRoom[--least];
    }
    int cut = 0;
    for (var h : heads) {
      if (h != null && h.room() >= least) {
        synchronized (h) {
          int before = h.full.size();
          h.cut();
          cut += h.full.size() - before;
        }
      }
    }
    return cut;
  }

  /**
   * What changed since the last flush. Called by the thread that appends. Nothing is copied: the
   * runs keep their samples, whatever is put in, until they are {@link #release released}; the next
   * snapshot comes after that.
   */
  public List<Pending> snapshot() {
    slots.hold();
    var out = new ArrayList<Pending>();
    for (var h : heads) {
      if (h != null && h.dirty) {
        synchronized (h) {
          out.add(new Pending(h.series, h.full, h.share(), h.blockInterval()));
          h.dirty = false;
        }
      }
    }
    return out;
  }

  /** These runs of a snapshot are written: full ones are read from there from now on. */
  public void flushed(List<Pending> written) {
    for (var p : written) {
      var h = heads[p.series()];
      if (h == null) {
        continue;
      }
      synchronized (minutes) {
        synchronized (h) {
          int n = Math.min(p.full().size(), h.full.size());
          h.full.subList(0, n).forEach(run -> minutes.add(run, -1));
          h.written(n);
        }
      }
    }
    synchronized (minutes) {
      minutes.tidy();
    }
  }

  /** A flush failed: what it had taken is to be written by the next one. */
  public void unflushed(List<Pending> notWritten) {
    notWritten.stream()
        .filter(p -> heads[p.series()] != null)
        .forEach(p -> heads[p.series()].dirty = true);
  }

  /** Nobody reads the runs of the snapshot any more. */
  public void release() {
    slots.release();
  }

  /**
   * Puts back an open run that an earlier process wrote; before any append.
   *
   * @param oldest the time of the series' oldest sample
   * @param interval as the newest {@link Pending} of the series had it
   */
  public void restore(int series, Samples open, long oldest, long newest, long interval) {
    var h = head(series);
    synchronized (minutes) {
      for (int i = 0; i < open.count(); i++) {
        minutes.add(open.times()[i], 1);
      }
    }
    synchronized (h) {
      h.restore(open, oldest, newest, interval);
    }
    this.newest = Math.max(this.newest, newest);
  }

  private Head head(int series) {
    if (series >= heads.length) {
      heads = Arrays.copyOf(heads, Math.max(series + 1, heads.length * 2));
    }
    var h = heads[series];
    if (h == null) {
      h = new Head(series, slots);
      heads[series] = h;
    }
    return h;
  }
}
