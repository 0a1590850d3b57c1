package vintrel.server.store;

import jakarta.annotation.PreDestroy;
import java.io.IOException;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;
import vintrel.server.database.Loops;

/**
 * Looks once an hour whether a backup of the database as it is now would be accepted again, so that
 * this is known before one is needed. Any thread.
 */
@Component
public class BackupCheck {
  private static final Logger log = LoggerFactory.getLogger(BackupCheck.class);

  private final Database database;
  private final Loops loops;
  private volatile Loops.Loop loop;
  private volatile double possible = Double.NaN;

  BackupCheck(Database database, Loops loops) {
    this.database = database;
    this.loops = loops;
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    if (database.isFile()) {
      loop = loops.start("checking the backup", Durations.HOUR, null, this::look);
    }
  }

  void look() {
    try {
      for (var statement : database.schema()) {
        BackupSchema.check(statement);
      }
      possible = 1;
    } catch (IOException e) {
      log.error("a backup would not be accepted: {}", e.getMessage());
      possible = 0;
    }
  }

  /** 1 if a backup is possible, 0 if not; NaN if that is not known, or not done here. */
  public double possible() {
    return possible;
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
  }
}
