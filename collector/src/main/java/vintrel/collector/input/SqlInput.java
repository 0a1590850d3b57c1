package vintrel.collector.input;

import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;
import java.util.function.UnaryOperator;
import vintrel.collector.Input;
import vintrel.collector.InputException;
import vintrel.collector.Reading;
import vintrel.core.collect.CollectorConfig;

/** Rows of a statement: texts are labels, numbers are metrics. Its connection stays open. */
public final class SqlInput implements Input {
  private static final int MAX_ROWS = 10_000;

  private final CollectorConfig.Input input;
  private final CollectorConfig.Sql source;
  private final UnaryOperator<String> environment;
  private Connection connection;

  public SqlInput(
      CollectorConfig.Input input, CollectorConfig.Sql source, UnaryOperator<String> environment) {
    this.input = input;
    this.source = source;
    this.environment = environment;
  }

  @Override
  public List<Reading> read() throws InputException {
    try {
      var open = connection();
      try (var statement = open.prepareStatement(source.statement())) {
        statement.setQueryTimeout((int) Math.max(1, input.timeout() / 1000));
        statement.setMaxRows(MAX_ROWS + 1);
        try (var rows = statement.executeQuery()) {
          return readings(rows);
        }
      } finally {
        open.rollback();
      }
    } catch (SQLException e) {
      close();
      // The first line: drivers add the statement, which may hold more than a log should.
      throw new InputException(String.valueOf(e.getMessage()).lines().findFirst().orElse("failed"));
    }
  }

  private Connection connection() throws SQLException {
    if (connection == null || !connection.isValid(2)) {
      close();
      DriverManager.setLoginTimeout((int) Math.max(1, input.timeout() / 1000));
      connection =
          DriverManager.getConnection(
              environment.apply(source.url()),
              environment.apply(source.user()),
              environment.apply(source.password()));
      connection.setReadOnly(true);
      connection.setAutoCommit(false);
    }
    return connection;
  }

  private List<Reading> readings(ResultSet rows) throws SQLException, InputException {
    var meta = rows.getMetaData();
    int n = meta.getColumnCount();
    int numbers = 0;
    var isNumber = new boolean[n + 1];
    for (int i = 1; i <= n; i++) {
      isNumber[i] =
          switch (meta.getColumnType(i)) {
            case java.sql.Types.TINYINT,
                java.sql.Types.SMALLINT,
                java.sql.Types.INTEGER,
                java.sql.Types.BIGINT,
                java.sql.Types.REAL,
                java.sql.Types.FLOAT,
                java.sql.Types.DOUBLE,
                java.sql.Types.NUMERIC,
                java.sql.Types.DECIMAL ->
                true;
            default -> false;
          };
      numbers += isNumber[i] ? 1 : 0;
    }
    if (numbers == 0) {
      throw new InputException("the statement returns no column of numbers");
    }
    var out = new ArrayList<Reading>();
    int count = 0;
    while (rows.next()) {
      if (++count > MAX_ROWS) {
        throw new InputException("the statement returns more than %,d rows".formatted(MAX_ROWS));
      }
      var labels = new TreeMap<>(input.labels());
      for (int i = 1; i <= n; i++) {
        var text = isNumber[i] ? null : rows.getString(i);
        if (text != null && !text.isEmpty()) {
          labels.put(meta.getColumnLabel(i).toLowerCase(java.util.Locale.ROOT), text);
        }
      }
      for (int i = 1; i <= n; i++) {
        if (isNumber[i]) {
          double value = rows.getDouble(i);
          if (!rows.wasNull()) {
            var column = meta.getColumnLabel(i).toLowerCase(java.util.Locale.ROOT);
            var metric = numbers == 1 ? source.metric() : source.metric() + "." + column;
            out.add(Reading.gauge(metric, "", value, labels));
          }
        }
      }
    }
    return out;
  }

  @Override
  public void close() {
    try {
      if (connection != null) {
        connection.close();
      }
    } catch (SQLException e) {
      // It is gone then.
    }
    connection = null;
  }
}
