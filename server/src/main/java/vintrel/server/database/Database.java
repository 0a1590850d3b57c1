package vintrel.server.database;

import jakarta.persistence.EntityManagerFactory;
import java.nio.file.Path;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.function.Consumer;
import java.util.function.Function;
import org.hibernate.SessionFactory;
import org.hibernate.StatelessSession;
import org.hibernate.Transaction;
import org.hibernate.jdbc.Work;
import org.springframework.stereotype.Component;

/** Sessions with a transaction around them. Any thread. */
@Component
public class Database {
  private final SessionFactory factory;
  private final DatabaseKind kind;

  Database(EntityManagerFactory factory, DatabaseKind kind) {
    this.kind = kind;
    this.factory = factory.unwrap(SessionFactory.class);
    run(s -> s.doWork(kind::opened));
  }

  public DatabaseKind kind() {
    return kind;
  }

  /** Work in one transaction; rolled back if it throws. */
  public <T> T with(Function<StatelessSession, T> work) {
    try (var session = factory.openStatelessSession()) {
      session.setJdbcBatchSize(500);
      var transaction = session.beginTransaction();
      try {
        var result = work.apply(session);
        transaction.commit();
        return result;
      } catch (RuntimeException | Error e) {
        rollback(transaction, e);
        throw e;
      }
    }
  }

  /** What went wrong first is what the caller learns. */
  private static void rollback(Transaction transaction, Throwable first) {
    try {
      if (transaction.isActive()) {
        transaction.rollback();
      }
    } catch (RuntimeException e) {
      first.addSuppressed(e);
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

  /** The SQLSTATE behind an exception, or null if the database has no part in it. */
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

  /** Makes space in the database file usable again, for so many ms at most. */
  public void tidy(int millis) {
    outsideTransaction(connection -> kind.tidy(connection, millis));
  }

  /** Whether the data is a file in the data directory. */
  public boolean isFile() {
    return kind.isFile();
  }

  /** Writes a consistent copy of the database file to a ZIP while everything goes on. */
  public void backup(Path zip) {
    outsideTransaction(connection -> kind.backup(connection, zip));
  }

  /** Whether the file was closed and opened again since the server opened it. */
  boolean reopened() {
    var out = new boolean[1];
    outsideTransaction(connection -> out[0] = kind.reopened(connection));
    return out[0];
  }

  /** The statements that would make the objects of the database file. */
  public List<String> schema() {
    var out = new ArrayList<String>();
    outsideTransaction(connection -> out.addAll(kind.schema(connection)));
    return out;
  }

  /** Forces everything that was committed to the disk. */
  public void force() {
    outsideTransaction(kind::force);
  }

  private void outsideTransaction(Work work) {
    try (var session = factory.openStatelessSession()) {
      session.doWork(work);
    }
  }
}
