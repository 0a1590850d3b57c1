package vintrel.server.database;

import jakarta.annotation.PreDestroy;
import java.util.Set;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.server.web.Duties;
import vintrel.server.web.Restart;

/**
 * Looks whether the database can be used. A database file that could not be written, as on a full
 * disk, closes itself for good: as soon as there is space again everything starts anew, since what
 * memory knows may not be on the disk. Until then the server is not ready, and says why.
 */
@Component
public class DatabaseWatch {
  private static final long EVERY_MS = 2_000;

  /** With less space opening the file might fail again. */
  private static final long ROOM = 32_000_000;

  private static final String NAME = "database";

  /** Closed, closing, or its file not to be used any more: error codes of H2. */
  private static final Set<String> CLOSED = Set.of("90098", "90121", "90067", "90030", "90028");

  private final Database database;
  private final DiskSpace disk;
  private final Duties duties;
  private final Loops loops;
  private final Restart restart;
  private volatile Loops.Loop loop;

  DatabaseWatch(Database database, DiskSpace disk, Duties duties, Loops loops, Restart restart) {
    this.database = database;
    this.disk = disk;
    this.duties = duties;
    this.loops = loops;
    this.restart = restart;
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    loop = loops.start("looking after the database", EVERY_MS, null, this::look);
  }

  private void look() {
    try {
      database.run(s -> s.createNativeQuery("select 1", Integer.class).getSingleResult());
      if (database.reopened()) {
        duties.trouble(NAME, "The database was closed by a fault; the server is starting again.");
        restart.request("the database file was closed and opened again");
        return;
      }
      duties.solved(NAME);
    } catch (RuntimeException e) {
      var state = Database.sqlState(e);
      boolean closed = database.isFile() && state != null && CLOSED.contains(state);
      long left = disk.left();
      duties.trouble(
          NAME,
          closed && left < ROOM
              ? "The database is closed because the disk is full. Free at least %d MB; the server then continues automatically."
                  .formatted(ROOM / 1_000_000)
              : closed
                  ? "The database is closed and is being opened again."
                  : "The database does not respond.");
      if (closed && left >= ROOM) {
        restart.request("the database file was closed after a fault of the disk");
      }
    }
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
  }
}
