package vintrel.server.database;

import com.zaxxer.hikari.HikariDataSource;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.util.Map;
import javax.sql.DataSource;
import org.springframework.boot.flyway.autoconfigure.FlywayConfigurationCustomizer;
import org.springframework.boot.hibernate.autoconfigure.HibernatePropertiesCustomizer;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import vintrel.server.web.Settings;

/** The database: a file in the data directory, or where the settings say. */
@Configuration
class DataFolder {
  /**
   * WRITE_DELAY=0: a commit is written at once (the journal forces the disk itself).
   * RETENTION_TIME=1000: space of dropped rows is used again after a second, else the file grows by
   * 45 s of journal. MAX_COMPACT_TIME=2000: a clean stop takes up to two seconds to make the file
   * small.
   */
  private static final String OPTIONS =
      ";WRITE_DELAY=0;RETENTION_TIME=1000;MAX_COMPACT_TIME=2000;CACHE_SIZE=16384;DB_CLOSE_ON_EXIT=FALSE";

  @Bean
  DatabaseKind databaseKind(Settings settings) {
    return DatabaseKind.of(settings.database().url());
  }

  @Bean(destroyMethod = "close")
  DataSource dataSource(Settings settings) {
    var folder = settings.data().toAbsolutePath().normalize();
    try {
      Files.createDirectories(folder);
      Private.folder(folder);
    } catch (IOException e) {
      throw new UncheckedIOException("can't create the data directory " + folder, e);
    }
    var own = settings.database();
    var pool = new HikariDataSource();
    boolean file = own.url().isEmpty();
    pool.setJdbcUrl(file ? "jdbc:h2:file:" + folder.resolve("vintrel") + OPTIONS : own.url());
    pool.setUsername(file ? "sa" : own.username());
    pool.setPassword(file ? "" : own.password());
    pool.setMaximumPoolSize(16);
    pool.setPoolName("database");
    return pool;
  }

  @Bean
  HibernatePropertiesCustomizer dialect(DatabaseKind kind) {
    return properties -> properties.put("hibernate.dialect", kind.dialect());
  }

  @Bean
  FlywayConfigurationCustomizer types(DatabaseKind kind) {
    return flyway -> flyway.placeholders(Map.of("bytes", kind.bytes()));
  }
}
