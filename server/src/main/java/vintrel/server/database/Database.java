package vintrel.server.database;

import jakarta.persistence.EntityManagerFactory;
import java.nio.file.Path;
import java.sql.SQLException;
import java.util.function.Consumer;
import java.util.function.Function;
import org.h2.engine.SessionLocal;
import org.h2.jdbc.JdbcConnection;
import org.hibernate.SessionFactory;
import org.hibernate.StatelessSession;
import org.springframework.stereotype.Component;

/** Sessions with a transaction around them. Any thread. */
@Component
public class Database {
  private static final int FILLED = 90;
  private static final int AT_ONCE = 4_000_000;

  private final SessionFactory factory;
  private final DatabaseKind kind;

  Database(EntityManagerFactory factory, DatabaseKind kind) {
    this.kind = kind;
    this.factory = factory.unwrap(SessionFactory.class);
    if (kind == DatabaseKind.H2) {
      run(s -> s.doWork(Identities::raise));
    }
  }

  public DatabaseKind kind() {
    return kind;
  }

  /** Work in one transaction; rolled back where it throws. */
  public <T> T with(Function<StatelessSession, T> work) {
    try (var session = factory.openStatelessSession()) {
      session.setJdbcBatchSize(500);
      var transaction = session.beginTransaction();
      try {
        var result = work.apply(session);
        transaction.commit();
        return result;
      } catch (RuntimeException | Error e) {
        if (transaction.isActive()) {
          transaction.rollback();
        }
        throw e;
      }
    }
  }

  /**
   * Whether the database refused what was written for what it holds (data exceptions, class 22, and
   * violated constraints, 23, of ISO/IEC 9075), so that trying again is of no use.
   */
  public static boolean refusesData(Throwable e) {
    var state = sqlState(e);
    return state != null && (state.startsWith("22") || state.startsWith("23"));
  }

  /** The SQLSTATE behind an exception, or null where the database has no part in it. */
  public static String sqlState(Throwable e) {
    for (var cause = e; cause != null; cause = cause.getCause()) {
      if (cause instanceof SQLException s && s.getSQLState() != null) {
        return s.getSQLState();
      }
    }
    return null;
  }

  public void run(Consumer<StatelessSession> work) {
    with(
        session -> {
          work.accept(session);
          return null;
        });
  }

  /**
   * Writes what is left of thinly filled parts of the file together, so that their space is used
   * again; for so long at most.
   */
  public void tidy(int millis) {
    if (kind != DatabaseKind.H2) {
      return;
    }
    try (var session = factory.openStatelessSession()) {
      session.doWork(
          connection -> {
            // H2 offers this for an open database only inside; WRITE_DELAY=0 ends its own thread.
            var inside = (SessionLocal) connection.unwrap(JdbcConnection.class).getSession();
            var file = inside.getDatabase().getStore().getMvStore();
            long end = System.nanoTime() + millis * 1_000_000L;
            boolean more = true;
            while (more && System.nanoTime() < end) {
              more = file.compact(FILLED, AT_ONCE);
            }
          });
    }
  }

  /** Whether the data lies in a file of the data directory. */
  public boolean isFile() {
    return kind == DatabaseKind.H2;
  }

  /** Writes a consistent copy of the database file into a ZIP, while everything goes on. */
  public void backup(Path zip) {
    try (var session = factory.openStatelessSession()) {
      session.doWork(
          connection -> {
            try (var statement = connection.prepareStatement("BACKUP TO ?")) {
              statement.setString(1, zip.toString());
              statement.execute();
            }
          });
    }
  }

  /** Forces all that was committed onto the disk. */
  public void force() {
    if (kind.forces()) {
      return;
    }
    try (var session = factory.openStatelessSession()) {
      session.doWork(
          connection -> {
            try (var statement = connection.createStatement()) {
              statement.execute("CHECKPOINT SYNC");
            }
          });
    }
  }
}
