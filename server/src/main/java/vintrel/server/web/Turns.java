package vintrel.server.web;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import java.util.function.Supplier;
import vintrel.core.store.StoreBusyException;

/**
 * Work that computes, on a few platform threads of its own, so that the system shares the
 * processors between it and everything else. Callers take turns: one who asks much waits behind
 * himself, not before others. What waits is bounded in number and in time. Any thread.
 */
public final class Turns implements AutoCloseable {
  /** Deep trees of queries are walked on these threads. */
  private static final long STACK = 8_000_000;

  private final String name;
  private final int mostWaiting;
  private final int mostOfOne;
  private final long patience;
  private final List<Thread> threads = new ArrayList<>();
  private final ThreadLocal<Boolean> inside = new ThreadLocal<>();

  /** What waits, by caller; the first is next. Guarded by this. */
  private final Map<String, ArrayDeque<Task<?>>> waiting = new LinkedHashMap<>();

  private int size;
  private boolean closed;

  private record Task<T>(Supplier<T> work, CompletableFuture<T> begun, CompletableFuture<T> done) {
    void run() {
      // Whoever gave up waiting has cancelled this.
      if (!begun.complete(null)) {
        return;
      }
      try {
        done.complete(work.get());
      } catch (Throwable e) {
        done.completeExceptionally(e);
      }
    }
  }

  /**
   * @param count of threads
   * @param mostWaiting tasks that may wait, of all callers
   * @param mostOfOne of one caller
   * @param patience ms that a task may wait for its turn
   */
  public Turns(String name, int count, int mostWaiting, int mostOfOne, long patience) {
    this.name = name;
    this.mostWaiting = mostWaiting;
    this.mostOfOne = mostOfOne;
    this.patience = patience;
    for (int i = 0; i < count; i++) {
      var thread = new Thread(null, this::work, name + "-" + i, STACK);
      thread.setDaemon(true);
      thread.start();
      threads.add(thread);
    }
  }

  /**
   * Does work in its turn and waits for it. Work within such work goes on at once.
   *
   * @param caller whose turn it takes
   * @throws StoreBusyException where too much waits, or it waited too long
   * @throws RuntimeException what the work throws
   */
  public <T> T run(String caller, Supplier<T> work) {
    if (Boolean.TRUE.equals(inside.get())) {
      return work.get();
    }
    var task = new Task<T>(work, new CompletableFuture<>(), new CompletableFuture<>());
    add(caller, task);
    try {
      task.begun().get(patience, TimeUnit.MILLISECONDS);
      return task.done().get();
    } catch (TimeoutException e) {
      if (task.begun().cancel(false)) {
        drop(caller, task);
        throw busy();
      }
      return task.done().join();
    } catch (ExecutionException e) {
      throw rethrown(e.getCause());
    } catch (InterruptedException e) {
      task.begun().cancel(false);
      Thread.currentThread().interrupt();
      throw new StoreBusyException("the server is stopping", 5);
    }
  }

  private static RuntimeException rethrown(Throwable cause) {
    if (cause instanceof Error error) {
      throw error;
    }
    return cause instanceof RuntimeException e ? e : new IllegalStateException(cause);
  }

  private StoreBusyException busy() {
    return new StoreBusyException("too many " + name + " wait just now; try again", 3);
  }

  private synchronized void add(String caller, Task<?> task) {
    if (closed) {
      throw new StoreBusyException("the server is stopping", 5);
    }
    var own = waiting.get(caller);
    if (size >= mostWaiting || own != null && own.size() >= mostOfOne) {
      throw busy();
    }
    waiting.computeIfAbsent(caller, k -> new ArrayDeque<>()).add(task);
    size++;
    notify();
  }

  private synchronized void drop(String caller, Task<?> task) {
    var own = waiting.get(caller);
    if (own != null && own.remove(task)) {
      size--;
      if (own.isEmpty()) {
        waiting.remove(caller);
      }
    }
  }

  /** The next task, or null once closed. */
  private synchronized Task<?> next() throws InterruptedException {
    while (waiting.isEmpty() && !closed) {
      wait();
    }
    if (closed) {
      return null;
    }
    Iterator<Map.Entry<String, ArrayDeque<Task<?>>>> first = waiting.entrySet().iterator();
    var entry = first.next();
    first.remove();
    var task = entry.getValue().poll();
    size--;
    if (!entry.getValue().isEmpty()) {
      // Behind all others.
      waiting.put(entry.getKey(), entry.getValue());
    }
    return task;
  }

  private void work() {
    inside.set(true);
    try {
      for (var task = next(); task != null; task = next()) {
        task.run();
      }
    } catch (InterruptedException e) {
      // Closed.
    }
  }

  /** How many tasks wait. */
  public synchronized int waiting() {
    return size;
  }

  /** Whether all threads are there. */
  public boolean alive() {
    return threads.stream().allMatch(Thread::isAlive);
  }

  @Override
  public synchronized void close() {
    closed = true;
    waiting.values().forEach(q -> q.forEach(t -> t.begun().cancel(false)));
    waiting.clear();
    notifyAll();
  }
}
