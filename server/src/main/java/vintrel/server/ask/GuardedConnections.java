package vintrel.server.ask;

import java.io.PrintWriter;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.SQLFeatureNotSupportedException;
import java.util.logging.Logger;
import javax.sql.DataSource;

/** Where a pool takes its connections from: each is checked again. Any thread. */
final class GuardedConnections implements DataSource {
  private final SqlStores stores;
  private final ExternalStores.Access access;

  GuardedConnections(SqlStores stores, ExternalStores.Access access) {
    this.stores = stores;
    this.access = access;
  }

  @Override
  public Connection getConnection() throws SQLException {
    return stores.connect(access);
  }

  @Override
  public Connection getConnection(String username, String password) throws SQLException {
    throw new SQLFeatureNotSupportedException("another user");
  }

  @Override
  public PrintWriter getLogWriter() {
    return null;
  }

  @Override
  public void setLogWriter(PrintWriter out) {}

  @Override
  public void setLoginTimeout(int seconds) {}

  @Override
  public int getLoginTimeout() {
    return 0;
  }

  @Override
  public Logger getParentLogger() {
    return Logger.getGlobal();
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    throw new SQLException("wraps nothing");
  }

  @Override
  public boolean isWrapperFor(Class<?> type) {
    return false;
  }
}
