package vintrel.bench;

import java.io.BufferedWriter;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.concurrent.Callable;

/**
 * The same samples in Vintrel and in tables with a row a sample: H2, PostgreSQL, DuckDB. Vintrel is
 * queried over its API, the others by JDBC; each query several times, the median counts.
 */
final class PeersBench {
  private static final int HOSTS = 200;
  private static final int RUNS = 9;
  private static final int VINTREL_RUNS = 300;
  private static final long MONTH = 29 * 86_400_000L;
  private static final String BUCKET = "s.time / 300000";

  private final Path home;
  private final int hours;
  private final Path work;
  private final Map<String, Map<String, Double>> results = new LinkedHashMap<>();
  private long samples;
  private long from;

  PeersBench(Path home, int hours) throws IOException {
    this.home = home;
    this.hours = hours;
    this.work = Files.createTempDirectory("vintrel-peers");
    work.toFile().setExecutable(true, false);
    work.toFile().setReadable(true, false);
  }

  void run() throws Exception {
    long end = System.currentTimeMillis() / 3_600_000 * 3_600_000;
    from = end - hours * 3_600_000L;
    var csv = generate(end);
    vintrel(csv, end);
    peer(
        "H2 rows",
        "jdbc:h2:file:" + work.resolve("h2") + ";CACHE_SIZE=262144;OPTIMIZE_REUSE_RESULTS=0",
        csv,
        h2());
    peer("DuckDB rows", "jdbc:duckdb:" + work.resolve("duck.db"), csv, duck());
    postgres(csv);
    print();
  }

  /** One file for all: series number, ms, value; as they arrive, in order of time. */
  private Path generate(long end) throws IOException {
    var file = work.resolve("samples.csv");
    var data = new Data[HOSTS * 10];
    for (int i = 0; i < data.length; i++) {
      data[i] = new Data(i % 10, i);
    }
    var random = new Random(1);
    try (BufferedWriter out = Files.newBufferedWriter(file)) {
      month(out, end);
      for (long t = from; t < end; t += 10_000) {
        for (int i = 0; i < data.length; i++) {
          double v = data[i].next();
          if (random.nextInt(100) != 0) {
            out.append(Integer.toString(i)).append(',');
            out.append(Long.toString(t + random.nextInt(101) - 50)).append(',');
            out.append(Double.toString(v)).append('\n');
            samples++;
          }
        }
      }
    }
    file.toFile().setReadable(true, false);
    return file;
  }

  /** Twenty more series, a minute apart over the month before; all of them of one metric. */
  private void month(BufferedWriter out, long end) throws IOException {
    var random = new Random(2);
    for (long t = end - MONTH; t < from - 60_000; t += 60_000) {
      for (int h = HOSTS; h < HOSTS + 20; h++) {
        out.append(Integer.toString(h * 10 + 7)).append(',').append(Long.toString(t));
        out.append(',').append(Integer.toString(random.nextInt(500))).append('\n');
        samples++;
      }
    }
  }

  private void vintrel(Path csv, long end) throws Exception {
    var data = work.resolve("vintrel");
    var jar = home.resolve("server/target/vintrel-server-0.1.0.jar");
    var found = new LinkedHashMap<String, Double>();
    try (var server = Vintrel.start(jar, data, List.of())) {
      server.await("/health/ready");
      var load = new Load(Data.METRICS);
      found.put("load, samples/s", samples / load.send(csv));
      Vintrel.post("/api/v1/backup", "application/json", new byte[0]);
      ask(
          found,
          "Q1 one series, 1 min means",
          "gauge.noisy where host = 'h7' then mean every 1m",
          end);
      ask(found, "Q2 mean of 200, 5 min", "gauge.noisy then mean every 5m then mean", end);
      ask(found, "Q3 the same by host", "gauge.noisy then mean every 5m then mean by host", end);
      ask(
          found,
          "Q4 counter rate by host",
          "counter.resets then rate every 5m then sum by host",
          end);
      ask(found, "Q5 latest of 200", "gauge.noisy then last every 5m", end, end - 300_000, "5m");
      ask(found, "top 5 of 200", "gauge.slow then mean every 5m then top 5", end);
      ask(
          found,
          "29 days by the hour, 20 series",
          "integer where host like 'h2__' then mean every 1h",
          end,
          end - MONTH,
          "1h");
      ask(
          found,
          "Q6 raw of 10 series",
          "gauge.slow where host in ('h1','h2','h3','h4','h5','h6','h7','h8','h9','h10')",
          end,
          end - 6 * 3_600_000L,
          "10s");
      found.put("memory, MB", server.residentMegabytes());
    }
    found.put("file, bytes a sample", Files.size(data.resolve("vintrel.mv.db")) / (double) samples);
    results.put("Vintrel", found);
  }

  private void ask(Map<String, Double> into, String name, String query, long to) throws Exception {
    ask(into, name, query, to, from, "5m");
  }

  private void ask(
      Map<String, Double> into, String name, String query, long to, long start, String step)
      throws Exception {
    var body =
        "{\"query\": \"%s\", \"from\": %d, \"to\": %d, \"step\": \"%s\"}"
            .formatted(query, start, to, step)
            .getBytes();
    into.put(
        name,
        median(
            VINTREL_RUNS,
            () -> {
              var answer = Vintrel.post("/api/v1/query", "application/json", body);
              if (answer.statusCode() != 200) {
                throw new IOException(answer.body());
              }
              return null;
            }));
  }

  private static double median(int runs, Callable<Void> work) throws Exception {
    var times = new double[runs];
    for (int i = 0; i < runs; i++) {
      long started = System.nanoTime();
      work.call();
      times[i] = (System.nanoTime() - started) / 1e6;
    }
    var warm = Arrays.copyOfRange(times, runs / 3, runs);
    Arrays.sort(warm);
    return warm[warm.length / 2];
  }

  private record Loading(String create, String load, String after) {}

  private static Loading h2() {
    return new Loading(
        "create table sample (series int, time bigint, v double precision, primary key (series,"
            + " time))",
        "insert into sample select cast(s as int), cast(t as bigint), cast(v as double precision)"
            + " from csvread('%s', 'S,T,V')",
        "checkpoint sync");
  }

  private static Loading duck() {
    return new Loading(
        "create table sample (series int, time bigint, v double)",
        "insert into sample select * from read_csv('%s', columns={'s': 'INT', 't': 'BIGINT', 'v':"
            + " 'DOUBLE'}, header=false) order by 1, 2",
        "checkpoint");
  }

  private void peer(String name, String url, Path csv, Loading loading) throws Exception {
    var found = new LinkedHashMap<String, Double>();
    try (var connection =
        DriverManager.getConnection(url, name.startsWith("H2") ? "sa" : null, null)) {
      execute(connection, loading.create());
      long started = System.nanoTime();
      execute(connection, loading.load().formatted(csv));
      execute(connection, loading.after());
      found.put("load, samples/s", samples / ((System.nanoTime() - started) / 1e9));
      queries(connection, found, name.startsWith("Duck") ? "//" : "/");
    }
    try (var files = Files.list(work)) {
      long size =
          files
              .filter(
                  f -> f.getFileName().toString().startsWith(name.startsWith("H2") ? "h2" : "duck"))
              .mapToLong(f -> f.toFile().length())
              .sum();
      found.put("file, bytes a sample", size / (double) samples);
    }
    results.put(name, found);
  }

  private static void execute(Connection connection, String sql) throws SQLException {
    try (var statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  private void queries(Connection c, Map<String, Double> found, String divide) throws Exception {
    var series = new ArrayList<String>();
    for (int h = 0; h < HOSTS; h++) {
      series.add(Integer.toString(h * 10));
    }
    var all = String.join(",", series);
    var counters = all.replaceAll("(\\d+)", "$1+5");
    var bucket = BUCKET.replace(" / ", " " + divide + " ");
    var where = "where s.time >= " + from + " and s.series ";
    sql(
        c,
        found,
        "Q1 one series, 1 min means",
        "select s.time "
            + divide
            + " 60000 b, avg(s.v) from sample s "
            + where
            + "= 70 group by s.time "
            + divide
            + " 60000");
    sql(
        c,
        found,
        "Q2 mean of 200, 5 min",
        "select "
            + bucket
            + " b, avg(s.v) from sample s "
            + where
            + "in ("
            + all
            + ") group by "
            + bucket);
    sql(
        c,
        found,
        "Q3 the same by host",
        "select s.series, "
            + bucket
            + " b, avg(s.v) from sample s "
            + where
            + "in ("
            + all
            + ") group by s.series, "
            + bucket);
    sql(
        c,
        found,
        "Q4 counter rate by host",
        "select series, b, sum(case when d >= 0 then d else v end) / 300 from (select s.series"
            + " series, "
            + bucket
            + " b, s.v v, s.v - lag(s.v) over (partition by s.series order by s.time) d from sample"
            + " s "
            + where
            + "in ("
            + counters
            + ")) x group by series, b");
    sql(
        c,
        found,
        "Q5 latest of 200",
        "select s.series, max(s.time) from sample s where s.series in ("
            + all
            + ") group by s.series");
    sql(
        c,
        found,
        "top 5 of 200",
        "select s.series, "
            + bucket
            + " b, avg(s.v) from sample s join (select t.series best from sample t where t.time >= "
            + from
            + " and t.series in ("
            + all.replaceAll("(\\d+)", "$1+1")
            + ") group by t.series order by avg(t.v) desc limit 5) x on x.best = s.series "
            + "where s.time >= "
            + from
            + " group by s.series, "
            + bucket);
    var hour = bucket.replace("300000", "3600000");
    sql(
        c,
        found,
        "29 days by the hour, 20 series",
        "select s.series, "
            + hour
            + " b, avg(s.v) from sample s where s.series >= 2000 group by s.series, "
            + hour);
    sql(
        c,
        found,
        "Q6 raw of 10 series",
        "select s.series, s.time, s.v from sample s "
            + where
            + "in (11,21,31,41,51,61,71,81,91,101) order by 1, 2");
  }

  private static void sql(Connection c, Map<String, Double> into, String name, String query)
      throws Exception {
    into.put(
        name,
        median(
            RUNS,
            () -> {
              try (var statement = c.createStatement();
                  var rows = statement.executeQuery(query)) {
                while (rows.next()) {
                  rows.getObject(1);
                }
              }
              return null;
            }));
  }

  private void postgres(Path csv) throws Exception {
    var programs = Path.of("/usr/lib/postgresql");
    if (!Files.isDirectory(programs)) {
      System.out.println("PostgreSQL is not installed; left out.");
      return;
    }
    Path bin;
    try (var versions = Files.list(programs)) {
      bin = versions.map(v -> v.resolve("bin")).findFirst().orElseThrow();
    }
    var folder = Files.createTempDirectory("vintrel-peers-pg");
    folder.toFile().setWritable(true, false);
    folder.toFile().setExecutable(true, false);
    folder.toFile().setReadable(true, false);
    shell(bin + "/initdb -D " + folder + "/data -A trust -U vintrel");
    shell(
        bin
            + "/pg_ctl -D "
            + folder
            + "/data -w -l "
            + folder
            + "/log -o '-p 19433 -k "
            + folder
            + " -c shared_buffers=512MB -c max_wal_size=4GB' start");
    try {
      var found = new LinkedHashMap<String, Double>();
      try (var connection =
          DriverManager.getConnection(
              "jdbc:postgresql://127.0.0.1:19433/postgres", "vintrel", "")) {
        execute(
            connection,
            "create table sample (series int, time bigint, v double precision, primary key (series,"
                + " time))");
        long started = System.nanoTime();
        execute(connection, "copy sample from '" + csv + "' with (format csv)");
        found.put("load, samples/s", samples / ((System.nanoTime() - started) / 1e9));
        execute(connection, "vacuum analyze sample");
        queries(connection, found, "/");
        try (var statement = connection.createStatement();
            var rows = statement.executeQuery("select pg_total_relation_size('sample')")) {
          rows.next();
          found.put("file, bytes a sample", rows.getLong(1) / (double) samples);
        }
      }
      results.put("PostgreSQL rows", found);
    } finally {
      shell(bin + "/pg_ctl -D " + folder + "/data -m immediate stop");
    }
  }

  private static void shell(String command) throws IOException, InterruptedException {
    boolean root = System.getProperty("user.name").equals("root");
    var process =
        new ProcessBuilder(
                root
                    ? List.of("runuser", "-u", "postgres", "--", "sh", "-c", command)
                    : List.of("sh", "-c", command))
            .directory(Path.of("/tmp").toFile())
            .redirectErrorStream(true)
            .redirectOutput(ProcessBuilder.Redirect.DISCARD)
            .start();
    if (process.waitFor() != 0) {
      throw new IOException("failed: " + command);
    }
  }

  private void print() {
    System.out.printf("%,d samples of 2,000 series, %d h%n%n", samples, hours);
    System.out.println("| ms, median | " + String.join(" | ", results.keySet()) + " |");
    System.out.println("|---|" + "---|".repeat(results.size()));
    var names = results.get("Vintrel").keySet();
    for (var name : names) {
      var row = new StringBuilder("| " + name);
      double ours = results.get("Vintrel").get(name);
      for (var entry : results.entrySet()) {
        var value = entry.getValue().get(name);
        boolean rate = name.startsWith("load");
        row.append(" | ");
        if (value != null) {
          row.append(rate ? "%,.0f".formatted(value) : "%.2f".formatted(value));
          row.append(
              entry.getKey().equals("Vintrel")
                  ? ""
                  : " (%.1f×)".formatted(rate ? ours / value : value / ours));
        }
      }
      System.out.println(row.append(" |"));
    }
  }
}
