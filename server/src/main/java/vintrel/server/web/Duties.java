package vintrel.server.web;

import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.concurrent.atomic.AtomicLong;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;

/**
 * The threads that must go on: they say that they are alive each time round, and what they throw is
 * logged and counted. A duty without a sign of life for too long is named, and the server is not
 * ready then. Any thread.
 */
@Component
public class Duties {
  private static final Logger log = LoggerFactory.getLogger(Duties.class);

  private final Map<String, Duty> duties = new ConcurrentSkipListMap<>();
  private final Map<String, String> troubles = new ConcurrentSkipListMap<>();
  private final AtomicLong faults = new AtomicLong();

  /** One of them. */
  public final class Duty {
    private final String name;
    private final long late;
    private volatile long heard = System.nanoTime();
    private volatile boolean over;

    private Duty(String name, long late) {
      this.name = name;
      this.late = late;
    }

    /** It goes round. */
    public void alive() {
      heard = System.nanoTime();
    }

    /** It ends as it should: the server stops. */
    public void over() {
      over = true;
    }

    /** What it could not do; it goes on. */
    public void failed(Throwable e) {
      faults.incrementAndGet();
      log.error("{} goes on after a fault: {}", name, e.toString(), e);
    }
  }

  /**
   * A thread that must go on.
   *
   * @param name in words
   * @param lateMillis it is behind when it was not heard of for so long
   */
  public Duty add(String name, long lateMillis) {
    var duty = new Duty(name, lateMillis * 1_000_000);
    duties.put(name, duty);
    return duty;
  }

  /** A fault in work that is none of them. */
  public void failed(String work, Throwable e) {
    faults.incrementAndGet();
    log.error("{} failed: {}", work, e.toString(), e);
  }

  /**
   * Something without which the server does not work.
   *
   * @param text for people: what is wrong and what to do
   */
  public void trouble(String what, String text) {
    if (troubles.put(what, text) == null) {
      log.error("not ready: {}", text);
    }
  }

  /** It works again. */
  public void solved(String what) {
    if (troubles.remove(what) != null) {
      log.info("the {} works again", what);
    }
  }

  /** Why the server does not work just now, in sentences; empty if it does. */
  public List<String> troubles() {
    return List.copyOf(troubles.values());
  }

  /** The names of those that are dead or behind, and what is in trouble. */
  public List<String> behind() {
    long now = System.nanoTime();
    var late =
        duties.values().stream().filter(d -> !d.over && now - d.heard > d.late).map(d -> d.name);
    return Stream.concat(late, troubles.keySet().stream()).toList();
  }

  /** Faults of all of them since the start. */
  public long faults() {
    return faults.get();
  }
}
