package vintrel.server.store;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.IntToLongFunction;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import vintrel.core.store.HeadSamples;
import vintrel.core.store.Journal;
import vintrel.core.store.JournalCodec;
import vintrel.core.store.Receipt;
import vintrel.core.store.Retention;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.StoreBusyException;
import vintrel.server.database.Database;
import vintrel.server.database.SampleOwner;
import vintrel.server.web.Duties;
import vintrel.server.web.Settings;

/**
 * Group commit: one thread takes all batches that wait, writes them to the journal and forces them
 * onto the disk together, puts them into the heads in the same order, and only then answers. So the
 * heads always are at a known place of the journal, which is what a flush needs.
 */
final class Committer implements AutoCloseable {
  private static final Logger log = LoggerFactory.getLogger(Committer.class);
  private static final int MAX_IN_GROUP = 1_000_000;
  static final long FLUSH_BYTES = 64_000_000;
  private static final long FLUSH_NANOS = 3_600_000_000_000L;

  /** A flush for want of memory comes after this part of the usual journal, and leaves one free. */
  private static final int CROWDED = 4;

  /**
   * @param encoded for the journal, by the thread that asks: it has time, this one's is everybody's
   */
  private record Waiting(
      SampleBatch batch, List<ByteBuffer> encoded, CompletableFuture<Receipt> done) {}

  private final ConcurrentLinkedQueue<Runnable> tasks = new ConcurrentLinkedQueue<>();

  /** Writes series that are new, within the journal's transaction. */
  interface NewSeries {
    List<SeriesRow> pending();

    /** Rows at the front of what was pending are done with. */
    void written(List<SeriesRow> rows);

    /** Rows that the database does not take: their series are no more. */
    void refused(List<SeriesRow> rows);
  }

  private final Database database;
  private final HeadSamples heads;
  private final Clock clock;
  private final IntToLongFunction oldest;
  private final NewSeries newSeries;
  private final Flusher flusher;
  private final int maxWaiting;
  private final long maxHeadBytes;
  private final Runnable needSpace;
  private final SampleOwner owner;
  private final StoreStats stats;
  private final LinkedBlockingQueue<Waiting> queue = new LinkedBlockingQueue<>();
  private final AtomicInteger waiting = new AtomicInteger();
  private final Thread thread;
  private volatile boolean closing;
  private final Journal journal;
  private volatile long flushedAt;
  private final Duties.Duty duty;

  Committer(
      Database database,
      HeadSamples heads,
      Clock clock,
      IntToLongFunction oldest,
      NewSeries newSeries,
      Flusher flusher,
      Settings.Ingest settings,
      Runnable needSpace,
      SampleOwner owner,
      StoreStats stats,
      Journal journal,
      Duties.Duty duty) {
    this.duty = duty;
    this.database = database;
    this.heads = heads;
    this.clock = clock;
    this.oldest = oldest;
    this.newSeries = newSeries;
    this.flusher = flusher;
    this.maxWaiting = settings.maxQueuedSamples();
    this.maxHeadBytes =
        settings.maxHeadBytes() > 0
            ? settings.maxHeadBytes()
            : Runtime.getRuntime().maxMemory() / CROWDED;
    heads.limit(maxHeadBytes);
    this.needSpace = needSpace;
    this.owner = owner;
    this.stats = stats;
    this.journal = journal;
    this.flushedAt = System.nanoTime();
    this.thread = Thread.ofPlatform().name("committer").start(this::run);
  }

  Receipt append(SampleBatch batch) {
    if (closing) {
      throw new StoreBusyException("the server is stopping", 5);
    }
    if (waiting.addAndGet(batch.size()) > maxWaiting) {
      waiting.addAndGet(-batch.size());
      stats.deferred(batch.size());
      throw new StoreBusyException("too many samples are waiting to be written; retry later", 2);
    }
    var item = new Waiting(batch, JournalCodec.encode(batch), new CompletableFuture<>());
    queue.add(item);
    try {
      return item.done().join();
    } catch (java.util.concurrent.CompletionException e) {
      throw e.getCause() instanceof StoreBusyException busy ? busy : e;
    }
  }

  /** Seconds since the last flush, or 0 if nothing waits for one. */
  double journalAge() {
    return journal.bytes() == 0 ? 0 : (System.nanoTime() - flushedAt) / 1e9;
  }

  /**
   * Writes all that is in memory; waits for it.
   *
   * @throws StoreBusyException if that failed; the samples stay in the journal
   */
  void flush() {
    if (!owner.takes()) {
      return;
    }
    between(
        () -> {
          flusher.settle();
          startFlush();
          flusher.settle();
        });
    if (!flusher.wrote()) {
      throw new StoreBusyException(
          "the samples in memory could not be written; see the server log", 30);
    }
  }

  /** Runs something while nothing is appended; waits for it. */
  void between(Runnable task) {
    var done = new CompletableFuture<Void>();
    tasks.add(
        () -> {
          try {
            task.run();
            done.complete(null);
          } catch (RuntimeException | Error e) {
            done.completeExceptionally(e);
          }
        });
    done.orTimeout(60, TimeUnit.SECONDS).join();
  }

  private void run() {
    while (!closing || !queue.isEmpty()) {
      try {
        duty.alive();
        var first = queue.poll(200, TimeUnit.MILLISECONDS);
        if (first != null) {
          commit(group(first));
        }
        for (var task = tasks.poll(); task != null; task = tasks.poll()) {
          task.run();
        }
        maybeFlush(false);
      } catch (InterruptedException e) {
        // Nobody interrupts it: what waits is committed first.
        continue;
      } catch (RuntimeException | StackOverflowError e) {
        duty.failed(e);
      }
    }
    duty.over();
    maybeFlush(true);
  }

  private List<Waiting> group(Waiting first) {
    var group = new ArrayList<Waiting>();
    int samples = 0;
    for (var next = first; next != null; next = samples < MAX_IN_GROUP ? queue.poll() : null) {
      group.add(next);
      samples += next.batch().size();
    }
    // Who sends little need not wait until what came with it is put in.
    group.sort(Comparator.comparingInt(w -> w.batch().size()));
    return group;
  }

  private void commit(List<Waiting> group) {
    long now = clock.millis();
    long started = System.nanoTime();
    try {
      needSpace.run();
      long recent = now - Retention.MIN_RAW;
      // Before the journal names their ids, and before samples of those that fail are admitted.
      writeSeries();
      var admitted = group.stream().map(w -> heads.admit(w.batch(), now, recent, oldest)).toList();
      journal(group, admitted);
      for (int i = 0; i < group.size(); i++) {
        var a = admitted.get(i);
        int replaced = heads.put(a.batch());
        var receipt =
            new Receipt(
                a.batch().size(),
                a.tooOld(),
                a.tooNew(),
                replaced,
                a.refusedSeries(),
                a.homeless());
        group.get(i).done().complete(receipt);
        stats.committed(receipt.accepted(), receipt.refused(), (System.nanoTime() - started) / 1e9);
      }
    } catch (StoreBusyException e) {
      stats.deferred(group.stream().mapToLong(x -> x.batch().size()).sum());
      group.forEach(x -> x.done().completeExceptionally(e));
    } catch (IOException | RuntimeException | Error e) {
      log.error("could not store samples: {}", e.toString());
      stats.deferred(group.stream().mapToLong(x -> x.batch().size()).sum());
      var busy = new StoreBusyException("can't write to the store; see the server log", 10);
      group.forEach(w -> w.done().completeExceptionally(busy));
    } finally {
      waiting.addAndGet(-group.stream().mapToInt(w -> w.batch().size()).sum());
    }
  }

  private void writeSeries() {
    var series = newSeries.pending();
    if (series.isEmpty()) {
      return;
    }
    var refused = SeriesRows.insert(database, series);
    database.force();
    newSeries.written(series);
    if (!refused.isEmpty()) {
      newSeries.refused(refused);
    }
  }

  private void journal(List<Waiting> group, List<HeadSamples.Admitted> admitted)
      throws IOException {
    var payloads = new ArrayList<ByteBuffer>();
    for (int i = 0; i < group.size(); i++) {
      var waiting = group.get(i);
      var kept = admitted.get(i).batch();
      payloads.addAll(kept == waiting.batch() ? waiting.encoded() : JournalCodec.encode(kept));
    }
    if (!payloads.isEmpty()) {
      journal.append(payloads);
    }
  }

  private void maybeFlush(boolean last) {
    if (!owner.takes()) {
      // What is in memory is another server's, which writes it.
      return;
    }
    long now = System.nanoTime();
    long journaled = journal.bytes();
    boolean crowded = heads.bytes() > maxHeadBytes;
    flusher.urge(crowded);
    boolean due =
        journaled > FLUSH_BYTES
            || (journaled > 0 && now - flushedAt > FLUSH_NANOS)
            || (journaled > FLUSH_BYTES / CROWDED && crowded);
    if (last) {
      flusher.settle();
      journal.rotate();
      flusher.flushNow(heads.snapshot(), journal.sequence());
    } else if (due && flusher.idle()) {
      startFlush();
      flushedAt = now;
    }
  }

  private void startFlush() {
    int cut = heads.cut(maxHeadBytes / CROWDED * (CROWDED - 1));
    if (cut > 0) {
      log.warn(
          "the newest samples fill their memory: writing {} chunks before they are full; for"
              + " smaller files, start with more --memory",
          cut);
    }
    journal.rotate();
    flusher.flush(heads.snapshot(), journal.sequence());
  }

  /** Commits what waits, flushes and ends. */
  @Override
  public void close() {
    closing = true;
    try {
      thread.join(20_000);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}
