package vintrel.server.watch;

import jakarta.annotation.PreDestroy;
import java.io.IOException;
import java.time.Clock;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.UUID;
import java.util.concurrent.atomic.AtomicLong;
import java.util.stream.Collectors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.unit.Durations;
import vintrel.server.database.Loops;
import vintrel.server.web.OutboundGuard;
import vintrel.server.web.Outgoing;
import vintrel.server.web.Settings;

/**
 * Tells something outside again and again that rules are checked, and falls silent when they are
 * not: whoever waits for it learns of the end of Vintrel itself. The address comes from the
 * settings; it may hold a token and is not logged.
 */
@Component
class Heartbeat {
  private static final Logger log = LoggerFactory.getLogger(Heartbeat.class);

  /** Checks that are later than this stop it, ms. */
  static final long LATE_MS = Durations.MINUTE;

  private static final long TIMEOUT_MS = 10_000;
  private static final long MAX_ANSWER = 100_000;

  private final Watcher watcher;
  private final RuleShares shares;
  private final AlertJournal journal;
  private final Outgoing outgoing;
  private final OutboundGuard guard;
  private final Loops loops;
  private final Clock clock;
  private final String address;
  private final long every;
  private final AtomicLong sent = new AtomicLong();
  private final AtomicLong failed = new AtomicLong();
  private volatile boolean silent;
  private volatile Loops.Loop loop;

  Heartbeat(
      Watcher watcher,
      RuleShares shares,
      AlertJournal journal,
      Outgoing outgoing,
      OutboundGuard guard,
      Loops loops,
      Settings settings,
      Clock clock) {
    this.watcher = watcher;
    this.shares = shares;
    this.journal = journal;
    this.outgoing = outgoing;
    this.guard = guard;
    this.loops = loops;
    this.clock = clock;
    this.address = settings.watch().heartbeat();
    this.every = settings.watch().heartbeatEvery().toMillis();
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    if (isWanted()) {
      loop = loops.start("sending heartbeats", every, null, this::beat);
    }
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
  }

  boolean isWanted() {
    return !address.isEmpty();
  }

  /** How many were taken since the start. */
  long sent() {
    return sent.get();
  }

  /** How many were not. */
  long failed() {
    return failed.get();
  }

  /** Sends one if rules are checked in time, here and elsewhere; one of several servers does so. */
  void beat() {
    if (!shares.holds(0)) {
      return;
    }
    long now = clock.millis();
    double lag = Math.max(WatchMetrics.lag(watcher.checkedHere(), now), lagElsewhere(now));
    if (lag > LATE_MS / 1000.0) {
      if (!silent) {
        log.warn("no heartbeat: checks of rules are {} s late", Math.round(lag));
      }
      silent = true;
      return;
    }
    silent = false;
    var fault = post();
    if (fault.isEmpty()) {
      sent.incrementAndGet();
    } else if (failed.incrementAndGet() == 1) {
      log.warn("a heartbeat was not taken: {}; further ones are only counted", fault);
    }
  }

  /**
   * How late other servers are with their shares, s. A share is as late as the rule in it that is
   * the least late: what a single one waits for is not known here.
   */
  private double lagElsewhere(long now) {
    var others =
        watcher.rules().stream()
            .filter(w -> !shares.has(w.name) && !w.wanted.paused())
            .collect(Collectors.groupingBy(w -> RuleShares.of(w.name)));
    if (others.isEmpty()) {
      return 0;
    }
    var until = journal.checkedUntil();
    double lag = 0;
    for (var share : others.values()) {
      long next =
          share.stream()
              .filter(w -> until.getOrDefault(w.name, 0L) > 0)
              .mapToLong(w -> until.get(w.name) + w.wanted.behind() + w.wanted.every())
              .max()
              .orElse(now);
      lag = Math.max(lag, (now - next - Durations.MINUTE) / 1000.0);
    }
    return lag;
  }

  private String post() {
    try {
      var answer =
          outgoing.call(
              new Outgoing.Call(
                  "POST",
                  guard.check(address),
                  Map.of("Content-Type", "application/cloudevents+json"),
                  JsonMapper.shared().writeValueAsBytes(event()),
                  TIMEOUT_MS,
                  MAX_ANSWER));
      return answer.status() / 100 == 2 ? "" : "answered " + answer.status();
    } catch (IllegalArgumentException | IOException e) {
      return e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
    }
  }

  /** CloudEvents 1.0 in structured mode. */
  private Map<String, Object> event() {
    var out = new LinkedHashMap<String, Object>();
    out.put("specversion", "1.0");
    out.put("id", UUID.randomUUID().toString());
    out.put("source", "vintrel/watch");
    out.put("type", "vintrel.heartbeat");
    out.put("time", Instant.ofEpochMilli(clock.millis()).toString());
    out.put("datacontenttype", "application/json");
    out.put("data", Map.of("rules", watcher.rules().size(), "every_ms", every));
    return out;
  }
}
