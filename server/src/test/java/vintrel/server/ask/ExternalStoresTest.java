package vintrel.server.ask;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.file.Files;
import java.sql.Connection;
import java.sql.DriverManager;
import java.util.List;
import org.h2.tools.Server;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.condition.EnabledIf;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.query.syntax.QueryException;
import vintrel.server.RunningServer;
import vintrel.server.store.LocalPostgres;

/** SQL databases and other Vintrels, asked in place. */
class ExternalStoresTest {
  @RegisterExtension
  static final RunningServer server =
      new RunningServer("--vintrel.query.sql-rows=50", "--vintrel.query.sql-seconds=2");

  private static Server h2;
  private static Connection owner;

  @BeforeAll
  static void database() throws Exception {
    h2 = Server.createTcpServer("-tcpPort", "0", "-ifNotExists").start();
    owner = DriverManager.getConnection("jdbc:h2:mem:company;DB_CLOSE_DELAY=-1", "owner", "o");
    fill(owner);
    try (var s = owner.createStatement()) {
      s.execute("create user reader password 'r'");
      s.execute("grant select on schema public to reader");
    }
  }

  private static void fill(Connection c) throws Exception {
    try (var s = c.createStatement()) {
      s.execute("create table sales (at timestamp, site varchar(20), seats int)");
      s.execute(
          "insert into sales values (timestamp '2026-03-01 10:00:00', 'north', 3), (timestamp"
              + " '2026-03-01 10:00:00', 'south', 5), (timestamp '2026-03-01 11:00:00', 'north',"
              + " 7), (timestamp '2026-03-01 12:00:00', 'north', null)");
    }
  }

  @AfterAll
  static void stop() throws Exception {
    owner.close();
    h2.stop();
  }

  private static String url() {
    return "jdbc:h2:tcp://127.0.0.1:" + h2.getPort() + "/mem:company";
  }

  private static String put(String name, String form, String url, String user, String secret) {
    return server
        .post(
            "/api/v1/stores",
            "application/json",
            """
            {"name": "%s", "form": "%s", "url": "%s", "username": "%s", "secret": "%s"}\
            """
                .formatted(name, form, url, user, secret))
        .body();
  }

  private static String ask(String query) {
    return server
        .post(
            "/api/v1/query",
            "application/json",
            """
            {"query": "%s", "from": "2026-03-01T10:00", "to": "2026-03-01T13:00", "step": "1h"}\
            """
                .formatted(query.replace("\\", "\\\\").replace("\"", "\\\"")))
        .body()
        .replaceAll("\\.0(?=[,\\]])", "");
  }

  @Test
  void timesTextsAndNumbersBecomeSeries() {
    assertThat(put("company", "sql", url(), "reader", "r"))
        .contains("\"canWrite\":false", "\"checked\":\"\"")
        .doesNotContain("\"r\"");
    var answer =
        ask(
            "sql 'company' \"\"\"select at, site, seats from sales where at >= :from and at <"
                + " :to\"\"\"");
    assertThat(answer).contains("{\"site\":\"north\"}", "[3,7,null]", "[5,null,null]");
    assertThat(
            ask(
                "sql 'company' 'select site, sum(seats) as seats from sales group by site order by"
                    + " site'"))
        .contains("[\"north\",\"south\"]", "[10,5]");
    assertThat(
            ask(
                "sql 'company' 'select at, site, seats from sales' then group by site: sum seats"
                    + " then sort by seats then limit 1"))
        .contains("[\"south\"]", "[5]");
    assertThat(ask("sql 'company' 'select at, seats from sales' then sum every 1h"))
        .contains("[8,7,null]");
  }

  @Test
  void aUserWhoCouldWriteIsRefusedUnlessThatIsAcceptedByName() {
    assertThat(put("loose", "sql", url(), "owner", "o")).contains("could change data there");
    assertThat(ask("sql 'loose' 'select 1 as n'")).contains("no SQL store is called 'loose'");
    var stores = server.bean(ExternalStores.class);
    assertThatThrownBy(
            () ->
                stores.put(
                    "loose", ExternalStores.Form.SQL, url(), "owner", "o", "another", "test"))
        .hasMessageContaining("typing the store's name");
    var known = stores.put("loose", ExternalStores.Form.SQL, url(), "owner", "o", "loose", "test");
    assertThat(known.canWrite()).isTrue();
    // Even so nothing is changed through it.
    assertThat(ask("sql 'loose' 'delete from sales'")).contains("\"code\":\"sql\"");
    assertThat(ask("sql 'loose' 'select count(*) as n from sales'")).contains("[[4]]");
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "select 1; delete from sales",
        "select 1;",
        "select 'a' ; select 2",
        "select E'a\\'' ; delete from sales -- '",
        "select 1 /*! ; delete from sales */",
        "select file_read('/etc/passwd')",
        "select * from csvread('/etc/passwd')",
        "call 1",
        "script",
        "explain analyze delete from sales"
      })
  void whatIsMoreThanOneStatementThatReadsTablesIsNotAsked(String statement) {
    put("strict", "sql", url(), "reader", "r");
    assertThat(ask("sql 'strict' \"\"\"" + statement + "\"\"\""))
        .contains("\"code\":\"sql\"")
        .doesNotContain("root:");
    assertThat(ask("sql 'strict' 'select count(*) as n from sales'")).contains("[[4]]");
  }

  @Test
  void objectsAreNotReadAndTextsAreBounded() {
    put("typed", "sql", url(), "reader", "r");
    assertThat(ask("sql 'typed' 'select cast(X''00'' as java_object) as o'"))
        .contains("\"code\":\"sql\"", "which is not read here");
    assertThat(ask("sql 'typed' 'select X''00ff'' as o'")).contains("which is not read here");
    assertThat(ask("sql 'typed' 'select repeat(''x'', 1000000) as t from system_range(1, 49)'"))
        .contains("limit.bytes");
  }

  @Test
  void limitsAndMistakesAreSaidPlainly() {
    put("limits", "sql", url(), "reader", "r");
    assertThat(ask("sql 'limits' 'select x from system_range(1, 51)'"))
        .contains("limit.rows", "more than 50 rows");
    assertThat(ask("sql 'limits' 'select x from system_range(1, 500) limit :limit'"))
        .contains("[[1,2,");
    assertThat(ask("sql 'limits' 'select nothing from sales'"))
        .contains("\"code\":\"sql\"", "NOTHING");
    assertThat(ask("sql 'limits' 'select :what'")).contains("use :from, :to, :step or :limit");
    assertThat(ask("sql 'nowhere' 'select 1'")).contains("no SQL store is called 'nowhere'");
    assertThat(
            ask(
                "sql 'limits' 'select count(*) from system_range(1, 100000) a, system_range(1,"
                    + " 100000) b where a.x + b.x = 7'"))
        .contains("limit.time");
    assertThat(put("wrong", "sql", url(), "reader", "not it"))
        .contains("\"checked\":\"the SQL store");
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "jdbc:h2:file:/etc/passwd",
        "jdbc:h2:mem:x;INIT=RUNSCRIPT FROM 'http://x'",
        "jdbc:h2:tcp://127.0.0.1/mem:x;INIT=DROP ALL OBJECTS",
        "jdbc:postgresql://127.0.0.1/x?socketFactory=a.B",
        "jdbc:mysql://127.0.0.1/x?allowLocalInfile=true",
        "jdbc:postgresql://169.254.169.254/x",
        "http://127.0.0.1"
      })
  void addressesThatCouldDoHarmAreRefused(String url) {
    assertThat(put("harm", "sql", url, "a", "b")).contains("\"code\":\"invalid\"");
    assertThat(server.bean(ExternalStores.class).names(ExternalStores.Form.SQL))
        .doesNotContain("harm");
  }

  @Test
  void anAddressThatNeverAnswersHoldsUpNobodyElse() throws Exception {
    try (var hanging = vintrel.server.Raw.hanging();
        var others = java.util.concurrent.Executors.newVirtualThreadPerTaskExecutor()) {
      var place = hanging.url().replace("http://", "");
      var slow =
          others.submit(
              () -> {
                var answers = new java.util.ArrayList<Integer>();
                for (var url :
                    List.of("jdbc:postgresql://" + place + "/x", "jdbc:h2:tcp://" + place + "/x")) {
                  long begun = System.nanoTime();
                  put("never", "sql", url, "a", "b");
                  answers.add((int) ((System.nanoTime() - begun) / 1_000_000_000));
                }
                return answers;
              });
      assertThat(put("quick", "sql", "jdbc:postgresql://127.0.0.1:1/x", "a", "b"))
          .contains("quick");
      assertThat(slow.isDone()).as("the quick one did not wait for the slow one").isFalse();
      assertThat(slow.get(60, java.util.concurrent.TimeUnit.SECONDS))
          .as("each has one deadline, s")
          .allMatch(s -> s < 20);
    }
  }

  @Test
  void secretsAreNotInTheDatabaseFile() throws Exception {
    var secret = "a-password-that-nobody-else-has";
    put("hidden", "sql", url(), "reader", secret);
    assertThat(server.send(server.to("/api/v1/stores")).body()).doesNotContain(secret);
    try (var files = Files.walk(server.data())) {
      for (var file : files.filter(Files::isRegularFile).toList()) {
        assertThat(
                new String(Files.readAllBytes(file), java.nio.charset.StandardCharsets.ISO_8859_1))
            .as(file.toString())
            .doesNotContain(secret);
      }
    }
  }

  @Test
  void anotherVintrelIsAskedWithTheStepsAndItsAbsenceIsAdvice() {
    server.post("/api/v1/samples", "application/x-www-form-urlencoded", "metric=far.load&value=4");
    assertThat(put("far", "vintrel", server.base(), "", RunningServer.TOKEN))
        .contains("\"checked\":\"\"");
    var answer = server.found("far.load in far then max then times 2", "-5m", "now");
    assertThat(answer).contains(",8.0").contains("\"tier\":\"remote\"");
    var catalogue = server.bean(RemoteCatalogue.class);
    RunningServer.await(
        "the other's metrics",
        () ->
            catalogue.find("far lo").stream()
                .flatMap(p -> p.metrics().stream())
                .anyMatch(m -> m.name().equals("far.load") && m.store().equals("far")));
    assertThat(catalogue.metrics("far")).contains("far.load");
    assertThat(catalogue.find("nothing of this kind").getFirst().metrics()).isEmpty();
    server.post(
        "/api/v1/samples", "application/x-www-form-urlencoded", "metric=far.l&value=4&ship=Tern");
    assertThat(catalogue.values("far", "far.l", "ship")).containsExactly("Tern");
    assertThat(answer).contains("\"series\":1");
    put("gone", "vintrel", "http://127.0.0.1:1", "", "x");
    var partial = server.found("a: far.load then max\\nb: far.load in gone then max", "-5m", "now");
    assertThat(partial).contains("store-unreachable", "\"name\":\"a\"", "\"name\":\"b\"");
    assertThat(partial).doesNotContain("\"error\"");
    put("denied", "vintrel", server.base(), "", "not a token");
    assertThat(server.found("far.load in denied", "-5m", "now")).contains("401");
  }

  @Test
  void aKnownSecretStaysWithItsAddressAndUser() {
    var stores = server.bean(ExternalStores.class);
    var form = ExternalStores.Form.SQL;
    stores.put("kept", form, url(), "reader", "r", "", "test");
    stores.put("kept", form, url(), "reader", "", "", "test");
    assertThat(stores.need(form, "kept").secret()).isEqualTo("r");
    stores.put("kept", form, url().replace("company", "elsewhere"), "reader", "", "", "test");
    assertThat(stores.need(form, "kept").secret()).isEmpty();
    stores.put("kept", form, url(), "reader", "r", "", "test");
    stores.put("kept", form, url(), "owner", "", "", "test");
    assertThat(stores.need(form, "kept").secret()).isEmpty();
  }

  @Test
  void aCancelledQuestionEndsItsStatement() {
    put("slow", "sql", url(), "reader", "r");
    var access = server.bean(ExternalStores.class).need(ExternalStores.Form.SQL, "slow");
    long begun = System.nanoTime();
    assertThatThrownBy(() -> server.bean(SqlStores.class).ask(access, SLOW, 0, 1, 1, () -> true))
        .isInstanceOf(QueryException.class)
        .extracting(e -> ((QueryException) e).code())
        .isEqualTo("cancelled");
    assertThat(System.nanoTime() - begun).as("its limit is 2 s").isLessThan(1_900_000_000L);
    // The connection is fit for the next one.
    assertThat(ask("sql 'slow' 'select count(*) as n from sales'")).contains("[[4]]");
  }

  private static final String SLOW =
      "select count(*) from system_range(1, 100000) a, system_range(1, 100000) b";

  static boolean postgres() {
    return LocalPostgres.programs() != null;
  }

  @Test
  @EnabledIf("postgres")
  void postgresIsAskedTheSameWay() throws Exception {
    try (var cluster = LocalPostgres.start();
        var admin = DriverManager.getConnection(cluster.url(), "vintrel", "")) {
      fill(admin);
      try (var s = admin.createStatement()) {
        s.execute("create role reader login");
        s.execute("grant select on sales to reader");
      }
      assertThat(put("pg", "sql", cluster.url(), "reader", ""))
          .contains("\"canWrite\":false", "\"checked\":\"\"");
      assertThat(put("pg-owner", "sql", cluster.url(), "vintrel", ""))
          .contains("could change data there");
      assertThat(
              ask(
                  "sql 'pg' \"\"\"select at::timestamptz as at, site, seats::numeric from sales"
                      + " where at >= :from and at < :to\"\"\""))
          .contains("{\"site\":\"north\"}", "[3,7,null]", "[5,null,null]");
      assertThat(ask("sql 'pg' 'select pg_sleep(5)'")).contains("limit.time");
      assertThat(
              server
                  .bean(SqlStores.class)
                  .describe(server.bean(ExternalStores.class).need(ExternalStores.Form.SQL, "pg")))
          .anySatisfy(
              t -> {
                assertThat(t.name()).isEqualTo("sales");
                assertThat(t.columns())
                    .extracting(SqlStores.ColumnInfo::kind)
                    .containsExactly("time", "text", "number");
              });
    }
  }

  @Test
  void namedParametersLeaveTextsCommentsAndCastsAlone() {
    var named =
        NamedSql.of(
            "select ':from', a::text /* :to */ from \"x:step\" -- :limit\n where t >= :from");
    assertThat(named.sql())
        .isEqualTo("select ':from', a::text /* :to */ from \"x:step\" -- :limit\n where t >= ?");
    assertThat(named.parameters()).containsExactly("from");
    assertThatThrownBy(() -> NamedSql.of("select :x")).isInstanceOf(QueryException.class);
  }

  @Test
  void onlyStatementsThatReadAreAsked() {
    for (var reads :
        List.of(
            "select 1",
            " -- why\n/* and\nhow */ SELECT 1",
            "with a as (select 1) table a",
            "(select 1)")) {
      assertThat(NamedSql.of(reads).sql()).isEqualTo(reads);
    }
    for (var not : List.of("delete from bookings", "", "-- select", "/* select */ drop table x")) {
      assertThatThrownBy(() -> NamedSql.of(not))
          .as(not)
          .hasMessageContaining("only read statements");
    }
  }

  @Test
  void aStoreThatThereIsNotIsToldWithThoseThatAre() {
    assertThat(server.found("x.y in nowhere then mean", "-1h", "now"))
        .contains("\"store\"", "no store named `nowhere`; stores:", "main");
  }
}
