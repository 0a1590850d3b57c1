package vintrel.server.watch;

import java.sql.SQLException;
import java.util.HashSet;
import org.flywaydb.core.api.MigrationVersion;
import org.flywaydb.core.api.migration.Context;
import org.flywaydb.core.api.migration.JavaMigration;
import org.springframework.stereotype.Component;

/** Version 6: a series is watched once by a rule, and limits are known by their priority. */
@Component
class UniqueWatchedSeries implements JavaMigration {
  @Override
  public MigrationVersion getVersion() {
    return MigrationVersion.fromVersion("6");
  }

  @Override
  public String getDescription() {
    return "unique watched series";
  }

  @Override
  public Integer getChecksum() {
    return null;
  }

  @Override
  public boolean canExecuteInTransaction() {
    return true;
  }

  @Override
  public void migrate(Context context) throws SQLException {
    var connection = context.getConnection();
    try (var s = connection.createStatement()) {
      s.execute("alter table watched_series drop column limit_index");
      s.execute("alter table watched_series add column labels_hash varchar(64)");
      s.execute("alter table watched_rule add column limits varchar(2000)");
    }
    var seen = new HashSet<String>();
    // The latest of two rows of one series has its state.
    try (var read =
            connection
                .createStatement()
                .executeQuery("select id, rule, labels from watched_series order by id desc");
        var keep =
            connection.prepareStatement("update watched_series set labels_hash = ? where id = ?");
        var drop = connection.prepareStatement("delete from watched_series where id = ?")) {
      while (read.next()) {
        long id = read.getLong(1);
        var hash = WatchedRow.hash(read.getString(3));
        if (seen.add(read.getString(2) + " " + hash)) {
          keep.setString(1, hash);
          keep.setLong(2, id);
          keep.addBatch();
        } else {
          drop.setLong(1, id);
          drop.addBatch();
        }
      }
      keep.executeBatch();
      drop.executeBatch();
    }
    try (var s = connection.createStatement()) {
      s.execute("alter table watched_series alter column labels_hash set not null");
      s.execute("create unique index watched_series_once on watched_series (rule, labels_hash)");
      s.execute("drop index watched_series_by_rule");
    }
  }
}
