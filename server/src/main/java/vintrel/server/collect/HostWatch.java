package vintrel.server.collect;

import jakarta.annotation.PreDestroy;
import java.net.InetAddress;
import java.net.UnknownHostException;
import java.time.Clock;
import java.util.TreeMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.collector.HostInput;
import vintrel.core.series.Labels;
import vintrel.core.series.SeriesKey;
import vintrel.server.database.Loops;
import vintrel.server.database.SampleOwner;
import vintrel.server.define.Definitions;
import vintrel.server.web.Settings;

/**
 * Watches the machine that the server runs on, with the collector's host input, so that a new
 * server has a living picture at once. Not in the demo, whose fleet is invented.
 */
@Component
class HostWatch {
  private static final Logger log = LoggerFactory.getLogger(HostWatch.class);
  private static final long EVERY_MS = 10_000;

  private final SampleSinks sinks;
  private final Definitions definitions;
  private final Loops loops;
  private final Clock clock;
  private final boolean on;
  private final String host = host();
  private HostInput input;
  private boolean unreadable;
  private volatile Loops.Loop loop;

  HostWatch(
      SampleSinks sinks,
      Definitions definitions,
      Loops loops,
      SampleOwner owner,
      Settings settings,
      Clock clock) {
    this.sinks = sinks;
    this.definitions = definitions;
    this.loops = loops;
    this.clock = clock;
    this.on = settings.host() && !settings.demo() && owner.takes();
  }

  private static String host() {
    try {
      return InetAddress.getLocalHost().getHostName();
    } catch (UnknownHostException e) {
      return "this-host";
    }
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    if (on) {
      definitions.applyOnce("/definitions/host.yaml");
      loop = loops.start("watching this host", 1_000, EVERY_MS, null, this::write);
    }
  }

  private void write() {
    if (unreadable) {
      return;
    }
    try {
      if (input == null) {
        // The first reading has no time before it that shares could be of.
        input = new HostInput();
        return;
      }
      long now = clock.millis();
      var sink = sinks.to(SeriesKey.MAIN, Sender.own(host, Way.HOST));
      for (var r : input.read()) {
        var labels = new TreeMap<>(r.labels());
        labels.put("host", host);
        var key = new SeriesKey(r.metric(), Labels.of(labels));
        if (Double.isFinite(r.value())) {
          sink.sample(sink.series(key, r.kind(), r.unit()), now, r.value());
        }
      }
      sink.keep();
    } catch (LinkageError e) {
      // A platform that the library does not know: the server goes on without.
      log.warn("can't read this host's metrics, so it is not watched: {}", e.toString());
      unreadable = true;
    }
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
  }
}
