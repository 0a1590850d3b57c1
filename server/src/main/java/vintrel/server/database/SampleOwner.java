package vintrel.server.database;

import jakarta.annotation.PreDestroy;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.UUID;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.core.store.StoreBusyException;
import vintrel.core.unit.Durations;
import vintrel.server.web.Settings;

/**
 * Which of several servers on one database takes samples: ids of series, the newest samples and the
 * journal are in its memory and data directory, so that a second one would overwrite what it wrote.
 * It is decided at the start, and known by a mark in the data directory; a server that is not the
 * one shows pages, and neither stores samples nor checks rules. A database file has one server, and
 * it takes them. Any thread.
 */
@Component
public class SampleOwner {
  private static final Logger log = LoggerFactory.getLogger(SampleOwner.class);

  /** The row of its lease; it is of a data directory and outlasts the server. */
  private static final String JOB = "samples";

  private static final long RENEW_MS = 10 * Durations.SECOND;

  /** A server that was not heard of for so long is gone, ms. */
  static final long SILENT_MS = 30 * Durations.SECOND;

  private static final String REFUSED =
      "this server takes no samples; send them to the one on the same database that does";

  private final Database database;
  private final Loops loops;
  private final Clock clock;
  private final String id;
  private volatile boolean takes;
  private volatile Loops.Loop loop;

  /**
   * @throws IllegalStateException if the settings say that it takes them, while another one does
   */
  SampleOwner(Database database, Settings settings, Loops loops, Clock clock) {
    this.database = database;
    this.loops = loops;
    this.clock = clock;
    boolean alone = database.isFile();
    this.id = alone ? "" : id(settings.data());
    this.takes = alone || begin(settings.samples());
  }

  /** Whether this server takes samples, and checks rules on them. */
  public boolean takes() {
    return takes;
  }

  /**
   * @throws StoreBusyException if this server takes none
   */
  public void need() {
    if (!takes) {
      throw new StoreBusyException(REFUSED, 60);
    }
  }

  private static String id(Path folder) {
    var file = folder.resolve("server-id");
    try {
      if (!Files.exists(file)) {
        Files.writeString(file, UUID.randomUUID().toString());
      }
      return Files.readString(file).strip();
    } catch (IOException e) {
      throw new UncheckedIOException("can't read or write " + file, e);
    }
  }

  private boolean begin(Settings.Samples wanted) {
    if (wanted == Settings.Samples.NEVER) {
      return false;
    }
    long now = clock.millis();
    if (database.with(s -> s.get(LeaseRow.class, JOB)) == null && insert(now)) {
      return true;
    }
    boolean mine =
        database.with(
                s ->
                    s.createMutationQuery(
                            "update Lease set owner = :id, until = :until where name = :job and"
                                + " (owner = :id or until < :now)")
                        .setParameter("id", id)
                        .setParameter("until", now + SILENT_MS)
                        .setParameter("job", JOB)
                        .setParameter("now", now)
                        .executeUpdate())
            > 0;
    if (!mine && wanted == Settings.Samples.ALWAYS) {
      throw new IllegalStateException(
          "vintrel.samples is `always`, and another server on this database takes samples just now;"
              + " stop it first, or leave the setting out");
    }
    if (!mine) {
      log.warn("{}; this one shows pages only", REFUSED);
    }
    return mine;
  }

  private boolean insert(long now) {
    try {
      database.run(
          s -> {
            var row = new LeaseRow();
            row.name = JOB;
            row.owner = id;
            row.until = now + SILENT_MS;
            s.insert(row);
          });
      return true;
    } catch (RuntimeException e) {
      if (Database.refusesData(e)) {
        // Another server was faster.
        return false;
      }
      throw e;
    }
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    if (takes && !database.isFile()) {
      loop = loops.start("saying who takes samples", RENEW_MS, null, this::renew);
    }
  }

  void renew() {
    if (takes && mark(clock.millis() + SILENT_MS) == 0) {
      takes = false;
      log.error("another server took over: {}", REFUSED);
    }
  }

  private int mark(long until) {
    return database.with(
        s ->
            s.createMutationQuery(
                    "update Lease set until = :until where name = :job and owner = :id")
                .setParameter("until", until)
                .setParameter("job", JOB)
                .setParameter("id", id)
                .executeUpdate());
  }

  /** Another server may take over as soon as all is written. */
  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
    if (takes && !database.isFile()) {
      try {
        mark(0);
      } catch (RuntimeException e) {
        log.warn("could not say that this server stops: {}", e.toString());
      }
    }
  }
}
