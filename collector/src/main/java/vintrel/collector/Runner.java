package vintrel.collector;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.collect.JobTiming;
import vintrel.core.series.Event;

/**
 * Reads inputs at their intervals, each on a virtual thread of its own and never twice at once, and
 * puts what they read into the queues, together every few moments. Any thread.
 */
final class Runner implements AutoCloseable {
  /** Readings, and records, in memory while the queue can't be written. */
  private static final int MAX_WAITING = 100_000;

  private final DiskQueue metrics;
  private final DiskQueue records;
  private final Inputs inputs;
  private final Map<String, String> resource;
  private final List<Reading> waiting = new ArrayList<>();
  private final List<Event> waitingEvents = new ArrayList<>();
  private final List<Runnable> unconfirmed = new ArrayList<>();
  private final Map<String, State> states = new TreeMap<>();
  private final Map<String, Long> counts = new TreeMap<>();
  private final CountDownLatch end = new CountDownLatch(1);
  private final List<Thread> threads = new ArrayList<>();

  /**
   * How the last reading of an input went.
   *
   * @param fault empty if it went well
   */
  record State(long at, double seconds, int readings, String fault) {}

  /**
   * @param resource labels of all that is sent
   */
  Runner(DiskQueue metrics, DiskQueue records, Inputs inputs, Map<String, String> resource) {
    this.metrics = metrics;
    this.records = records;
    this.inputs = inputs;
    this.resource = resource;
  }

  void start(List<CollectorConfig.Input> all) {
    for (var each : all) {
      threads.add(Thread.ofVirtual().name("input " + each.name()).start(() -> loop(each)));
    }
  }

  private void loop(CollectorConfig.Input config) {
    try (var input = inputs.of(config)) {
      long phase = JobTiming.phase(config.name(), 0, 1, config.every());
      if (input instanceof HostInput) {
        // Shares need a reading before.
        input.read();
      }
      long now = System.currentTimeMillis();
      while (!end.await(JobTiming.next(now, config.every(), phase) - now, TimeUnit.MILLISECONDS)) {
        now = System.currentTimeMillis();
        read(config, input, now);
        now = System.currentTimeMillis();
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    } catch (InputException | RuntimeException | LinkageError e) {
      note(config, System.currentTimeMillis(), 0, 0, String.valueOf(e.getMessage()));
    }
  }

  private void read(CollectorConfig.Input config, Input input, long now) {
    long started = System.nanoTime();
    if (full()) {
      // What is taken now would be lost: it stays where it is, as far as the input can keep it.
      note(config, now, 0, 0, "not read: what was read before can't be written to the queue");
      return;
    }
    try {
      var readings = input.read();
      var events = input.events();
      add(labelled(config, readings), events, input.confirmation(), now);
      note(config, now, (System.nanoTime() - started) / 1e9, readings.size() + events.size(), "");
    } catch (InputException e) {
      note(config, now, (System.nanoTime() - started) / 1e9, 0, e.getMessage());
    } catch (RuntimeException e) {
      note(config, now, 0, 0, String.valueOf(e));
    }
  }

  /** The host input knows no labels of its own. */
  private static List<Reading> labelled(CollectorConfig.Input config, List<Reading> readings) {
    if (config.labels().isEmpty() || !(config.source() instanceof CollectorConfig.Host)) {
      return readings;
    }
    return readings.stream()
        .map(
            r -> {
              var labels = new TreeMap<>(config.labels());
              labels.putAll(r.labels());
              return new Reading(r.metric(), r.kind(), r.unit(), r.value(), labels, r.time());
            })
        .toList();
  }

  private void add(List<Reading> readings, List<Event> events, Runnable confirmation, long now) {
    synchronized (waiting) {
      if (full()) {
        return;
      }
      for (var r : readings) {
        waiting.add(
            r.time() != 0
                ? r
                : new Reading(r.metric(), r.kind(), r.unit(), r.value(), r.labels(), now));
      }
      waitingEvents.addAll(events);
      if (!events.isEmpty() || !readings.isEmpty()) {
        unconfirmed.add(confirmation);
      }
    }
  }

  private boolean full() {
    synchronized (waiting) {
      return waiting.size() > MAX_WAITING || waitingEvents.size() > MAX_WAITING;
    }
  }

  /** Adds readings of the collector itself. */
  void add(List<Reading> readings, long now) {
    add(readings, List.of(), () -> {}, now);
  }

  /**
   * Puts what was read since the last call into the queues, as one request of each kind. An input
   * learns that its records are safe only then. If the queue can't be written, they wait here, up
   * to a number.
   */
  void flush(long now) throws IOException {
    List<Reading> readings;
    List<Event> events;
    List<Runnable> confirmed;
    synchronized (waiting) {
      readings = List.copyOf(waiting);
      events = List.copyOf(waitingEvents);
      confirmed = List.copyOf(unconfirmed);
    }
    if (!readings.isEmpty()) {
      metrics.add(OtlpRequest.metrics(readings, resource, now), now);
    }
    if (!events.isEmpty()) {
      records.add(OtlpRequest.logs(events, resource), now);
    }
    synchronized (waiting) {
      // Others may have added meanwhile, at the end.
      waiting.subList(0, readings.size()).clear();
      waitingEvents.subList(0, events.size()).clear();
      unconfirmed.subList(0, confirmed.size()).clear();
    }
    confirmed.forEach(Runnable::run);
  }

  private synchronized void note(
      CollectorConfig.Input config, long at, double seconds, int readings, String fault) {
    var before = states.put(config.name(), new State(at, seconds, readings, fault));
    if (fault.isEmpty()) {
      counts.merge(config.name(), 1L, Long::sum);
    }
    if (!fault.isEmpty() && (before == null || !before.fault().equals(fault))) {
      System.err.println("vintrel-collector: " + config.name() + ": " + fault);
    }
  }

  /** How often an input was read well. */
  synchronized long readings(String input) {
    return counts.getOrDefault(input, 0L);
  }

  /** By the inputs' names. */
  synchronized Map<String, State> states() {
    return new TreeMap<>(states);
  }

  @Override
  public void close() throws InterruptedException {
    end.countDown();
    for (var t : threads) {
      t.join(TimeUnit.SECONDS.toMillis(2));
    }
  }
}
