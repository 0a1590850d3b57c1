package vintrel.server.web;

import java.util.ArrayDeque;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.CancellationException;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import java.util.function.Supplier;
import vintrel.core.store.StoreBusyException;

/**
 * Work that computes, on a few platform threads of its own, so that the system shares the
 * processors between it and everything else. Callers take turns: a caller with many requests waits
 * behind himself, not before others. What waits is bounded in number and in time. Any thread.
 */
public final class Turns implements AutoCloseable {
  /** Deep trees of queries are walked on these threads. */
  private static final long STACK = 8_000_000;

  private static final int MAX_STAND_INS = 64;

  private final String name;
  private final int atOnce;
  private final int maxWaiting;
  private final int maxOfOne;
  private final long patience;

  /** The pool whose thread this is. */
  private static final ThreadLocal<Turns> CURRENT = new ThreadLocal<>();

  /** Threads that replace those that wait for something outside; guarded by this. */
  private int standIns;

  /** So many threads are to end, since who waited is back; guarded by this. */
  private int surplus;

  /** What waits, by caller; the first is next. Guarded by this. */
  private final Map<String, ArrayDeque<Task<?>>> waiting = new LinkedHashMap<>();

  /** How much each caller has under way. Guarded by this. */
  private final Map<String, Integer> running = new HashMap<>();

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
   * @param atOnce of them that one caller may have
   * @param mostWaiting tasks that may wait, of all callers
   * @param mostOfOne of one caller
   * @param patience ms that a task may wait for its turn
   */
  public Turns(String name, int count, int atOnce, int maxWaiting, int maxOfOne, long patience) {
    this.name = name;
    this.atOnce = atOnce;
    this.maxWaiting = maxWaiting;
    this.maxOfOne = maxOfOne;
    this.patience = patience;
    for (int i = 0; i < count; i++) {
      start(name + "-" + i);
    }
  }

  private void start(String named) {
    var thread = new Thread(null, this::work, named, STACK);
    thread.setDaemon(true);
    thread.start();
  }

  /**
   * Waits for something that is not computed here, such as another server. Where that is done on a
   * thread of a pool, another thread replaces it meanwhile, so that a hanging peer does not hold up
   * those whose turn is next.
   */
  public static <T> T outside(Supplier<T> wait) {
    var pool = CURRENT.get();
    if (pool == null || !pool.standIn()) {
      return wait.get();
    }
    try {
      return wait.get();
    } finally {
      pool.back();
    }
  }

  private synchronized boolean standIn() {
    if (closed || standIns >= MAX_STAND_INS) {
      return false;
    }
    standIns++;
    if (surplus > 0) {
      surplus--;
    } else {
      start(name + "-in");
    }
    return true;
  }

  private synchronized void back() {
    standIns--;
    surplus++;
    notifyAll();
  }

  /**
   * Does work in its turn and waits for it. Work within such work goes on at once.
   *
   * @param caller whose turn it takes
   * @throws StoreBusyException if too much waits, or it waited too long
   * @throws RuntimeException what the work throws
   */
  public <T> T run(String caller, Supplier<T> work) {
    if (CURRENT.get() == this) {
      return work.get();
    }
    var task = new Task<T>(work, new CompletableFuture<>(), new CompletableFuture<>());
    add(caller, task);
    try {
      return result(caller, task);
    } catch (ExecutionException e) {
      throw rethrown(e.getCause());
    } catch (CancellationException e) {
      throw new StoreBusyException("the server is stopping", 5);
    } catch (InterruptedException e) {
      task.begun().cancel(false);
      Thread.currentThread().interrupt();
      throw new StoreBusyException("the server is stopping", 5);
    }
  }

  /**
   * One wait for both, the turn and the result: each is a switch of threads. What has begun is
   * waited for however long it takes.
   */
  private <T> T result(String caller, Task<T> task)
      throws ExecutionException, InterruptedException {
    try {
      return task.done().get(patience, TimeUnit.MILLISECONDS);
    } catch (TimeoutException e) {
      if (task.begun().cancel(false)) {
        drop(caller, task);
        throw busy();
      }
      return task.done().get();
    }
  }

  private static RuntimeException rethrown(Throwable cause) {
    if (cause instanceof Error error) {
      throw error;
    }
    return cause instanceof RuntimeException e ? e : new IllegalStateException(cause);
  }

  private StoreBusyException busy() {
    return new StoreBusyException("too many " + name + " are waiting; try again", 3);
  }

  private synchronized void add(String caller, Task<?> task) {
    if (closed) {
      throw new StoreBusyException("the server is stopping", 5);
    }
    var own = waiting.get(caller);
    if (size >= maxWaiting || own != null && own.size() >= maxOfOne) {
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

  /** The next task, or null if the thread is to end. */
  private synchronized Next next() throws InterruptedException {
    var caller = free();
    while (caller == null && !closed && surplus == 0) {
      wait();
      caller = free();
    }
    if (closed) {
      return null;
    }
    if (surplus > 0) {
      surplus--;
      return null;
    }
    var own = waiting.remove(caller);
    var task = own.poll();
    size--;
    running.merge(caller, 1, Integer::sum);
    if (!own.isEmpty()) {
      // Behind all others.
      waiting.put(caller, own);
    }
    return new Next(caller, task);
  }

  private record Next(String caller, Task<?> task) {}

  /** The caller whose turn it is: the first who has not too much under way, or null. */
  private String free() {
    for (var caller : waiting.keySet()) {
      if (running.getOrDefault(caller, 0) < atOnce) {
        return caller;
      }
    }
    return null;
  }

  private synchronized void ended(String caller) {
    running.merge(caller, -1, (a, b) -> a + b == 0 ? null : a + b);
    notifyAll();
  }

  private void work() {
    CURRENT.set(this);
    try {
      for (var next = next(); next != null; next = next()) {
        try {
          next.task().run();
        } finally {
          ended(next.caller());
        }
      }
    } catch (InterruptedException e) {
      // Closed.
    }
  }

  /** How many tasks wait. */
  public synchronized int waiting() {
    return size;
  }

  @Override
  public synchronized void close() {
    closed = true;
    waiting.values().forEach(q -> q.forEach(t -> t.begun().cancel(false)));
    waiting.clear();
    notifyAll();
  }
}
