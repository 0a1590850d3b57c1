package vintrel.server.database;

/** What differs between the databases that Vintrel runs on; all of it is here. */
public enum DatabaseKind {
  H2("org.hibernate.dialect.H2Dialect", "varbinary(1000000)", "table(id int = ?) t"),
  POSTGRESQL("org.hibernate.dialect.PostgreSQLDialect", "bytea", "unnest(?) t(id)");

  private final String dialect;
  private final String bytes;
  private final String idTable;

  DatabaseKind(String dialect, String bytes, String idTable) {
    this.dialect = dialect;
    this.bytes = bytes;
    this.idTable = idTable;
  }

  static DatabaseKind of(String url) {
    return url.startsWith("jdbc:postgresql:") ? POSTGRESQL : H2;
  }

  String dialect() {
    return dialect;
  }

  /** The column type for bytes. */
  String bytes() {
    return bytes;
  }

  /** A table t with the ids of an array parameter, to join with. */
  public String idTable() {
    return idTable;
  }

  /** Whether a commit alone is on the disk; else it must be forced. */
  boolean forces() {
    return this == POSTGRESQL;
  }
}
