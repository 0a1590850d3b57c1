package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import vintrel.core.query.Evaluator;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Condition;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.slow.SlowComparison;
import vintrel.core.slow.SlowData;
import vintrel.core.store.Retention;
import vintrel.core.store.SampleBatch;
import vintrel.core.unit.Durations;
import vintrel.server.RunningServer;
import vintrel.server.database.Database;

/** What a store promises of tiers and retention, on whatever database it lies. */
abstract class StoreContract {
  abstract RunningServer server();

  private void fill(SeriesKey key, MetricKind kind, long from, long to, long step) {
    var store = server().bean(DurableStore.class);
    int id = store.resolve(key, kind, "");
    var random = new Random(key.hashCode());
    var batch = new SampleBatch();
    double total = 0;
    for (long t = from; t < to; t += step) {
      total = random.nextInt(500) == 0 ? 0 : total + random.nextInt(20);
      batch.add(id, t + random.nextInt(100), kind.cumulative() ? total : random.nextInt(100));
    }
    assertThat(store.append(batch).accepted()).isEqualTo(batch.size());
  }

  private double[] values(String query, Request request) {
    var engine = new Evaluator(server().bean(DurableStore.class), Limits.DEFAULT);
    var rows = engine.evaluate(Parser.parse(query), request).lines().getFirst().set().rows();
    return rows.getFirst().values();
  }

  private long density(long from, long to) {
    return Arrays.stream(server().bean(DurableStore.class).density(from, to, 100)).sum();
  }

  private long count(String where) {
    return server()
        .bean(Database.class)
        .with(
            s ->
                s.createSelectionQuery("select count(*) from Chunk where " + where, Long.class)
                    .getSingleResult());
  }

  @Test
  void tiersAnswerAsTheRawSamplesDoBeforeAndAfterARestart() {
    long now = System.currentTimeMillis();
    long from = now - 5 * Durations.DAY;
    fill(new SeriesKey("t.gauge", Labels.of("h", "a")), MetricKind.GAUGE, from, now, 10_000);
    fill(new SeriesKey("t.count", Labels.of("h", "a")), MetricKind.COUNTER, from, now, 10_000);
    long dense = density(from, now);
    assertThat(dense).isGreaterThanOrEqualTo(86_000);
    server().stop();
    server().start();
    assertThat((double) density(from, now))
        .as("samples are counted, not what tiers made of them")
        .isCloseTo(dense, within(dense * 0.02));
    assertThat(count("tier = 1"))
        .as("of the counter; random numbers are not worth it")
        .isBetween(25L, 60L);
    assertThat(count("tier = 3")).isGreaterThanOrEqualTo(4);
    var request = Request.range(from + 12_345, now, 2 * Durations.HOUR);
    for (var query :
        List.of("t.gauge", "t.gauge%s then max every 1h", "t.count%s then rate every 10m")) {
      var tiered = values(query.replace("%s", ""), request);
      var raw = values(query.replace("%s", "").replaceFirst("^(\\S+)", "$1 then times 1"), request);
      assertThat(tiered).containsExactly(raw, within(1e-9));
    }
    var day = server().bean(StoreUsage.class).day();
    assertThat(day.stream().map(StoreUsage.OfSeries::usage))
        .as("what a day of the main store brings, though others were written later")
        .anyMatch(u -> u.store().equals("main") && u.tier() == 0 && u.samples() > 8000);
    long before = count("tier > 0");
    server().stop();
    server().start();
    assertThat(count("tier > 0")).as("nothing is rolled up twice").isEqualTo(before);
  }

  /**
   * A series that has no tier yet, beside ones that have: what is finer is read for the ends of the
   * old ones and for all of the new one in one question.
   */
  @Test
  void aNewSeriesBesideOldOnesChangesNothingOfThem() {
    long now = System.currentTimeMillis();
    long from = now - 5 * Durations.DAY;
    for (var kind : List.of(MetricKind.GAUGE, MetricKind.COUNTER)) {
      var metric = "t.beside." + kind.name().toLowerCase(java.util.Locale.ROOT);
      for (var host : List.of("a", "b")) {
        fill(new SeriesKey(metric, Labels.of("h", host)), kind, from, now, 60_000);
      }
      long young = now - 40 * Durations.MINUTE;
      fill(new SeriesKey(metric, Labels.of("h", "new")), kind, young, now, 60_000);
    }
    server().stop();
    server().start();
    var request = Request.range(from + 12_345, now, Durations.HOUR);
    for (var query :
        List.of(
            "t.beside.counter%s then increase every 1h",
            "t.beside.counter%s then rate every 10m",
            "t.beside.gauge%s then max over 90m",
            "t.beside.gauge%s then count over 3h",
            "t.beside.gauge%s then count every 1h",
            "t.beside.counter%s then count every 10m",
            "t.beside.counter%s then count every 1h")) {
      // What one question brings into the cache is there for the next.
      server().bean(DurableStore.class).dropped();
      for (var host : List.of("", " where h = 'a'", " where h = 'b'")) {
        var tiered = values(query.formatted(host), request);
        var raw = values(query.formatted(host + " then times 1"), request);
        assertThat(tiered).as(query + host).containsExactly(raw, within(1e-6));
      }
    }
  }

  /** What no database keeps is refused, or replaced, before it could hold back anything. */
  @Test
  void namesAndRecordsThatTheDatabaseWouldRefuseHoldBackNobody() {
    var mixed =
        server()
            .post(
                "/api/v1/samples",
                "application/json",
                "[{\"metric\": \"nul\\u0000\", \"value\": 1}, {\"metric\": \"half\", \"value\": 1,"
                    + " \"labels\": {\"a\": \"\\ud83d\"}}, {\"metric\": \"whole\", \"value\": 1}]");
    assertThat(mixed.body()).contains("\"accepted\":1", "\"refused\":2");
    var record =
        "{\"resourceLogs\": [{\"scopeLogs\": [{\"logRecords\": [{\"timeUnixNano\": \"%d000000\","
            + " \"body\": {\"stringValue\": \"a\\u0000b\"}, \"attributes\": [{\"key\":"
            + " \"k\\u0000\", \"value\": {\"stringValue\": \"\\ud83d\"}}]}]}]}]}";
    assertThat(
            server()
                .post("/v1/logs", "application/json", record.formatted(System.currentTimeMillis()))
                .body())
        .isEqualTo("{}");
    var described =
        "{\"resourceMetrics\": [{\"scopeMetrics\": [{\"metrics\": [{\"name\": \"told\","
            + " \"description\": \"a\\u0000b\", \"gauge\": {\"dataPoints\": [{\"timeUnixNano\":"
            + " \"%d000000\", \"asDouble\": 1}]}}]}]}]}";
    assertThat(
            server()
                .post(
                    "/v1/metrics",
                    "application/json",
                    described.formatted(System.currentTimeMillis()))
                .body())
        .isEqualTo("{}");
    var definition =
        "kind: rule\nname: nul\nquery: m\ndescription: \"a\\0b\"\nlimits: [{above: 1}]\n";
    assertThat(server().post("/api/v1/definitions", "application/yaml", definition).statusCode())
        .isEqualTo(422);
    assertThat(
            server()
                .post(
                    "/api/v1/samples", "application/x-www-form-urlencoded", "metric=after&value=1")
                .body())
        .contains("\"accepted\":1");
  }

  /**
   * The answers do not depend on where samples lie: in memory, in open or sealed rows, in tiers.
   */
  @ParameterizedTest
  @CsvSource({"31, 10000, 4000", "32, 60000, 1200", "33, 60000, 6000"})
  void randomQueriesAreAnsweredAsTheSlowEvaluatorDoes(long seed, long step, int samples) {
    long hour = System.currentTimeMillis() / Durations.HOUR * Durations.HOUR;
    long length = SlowData.random(new Random(seed), 0, step, samples).newest();
    var data = SlowData.random(new Random(seed), hour - length - 123_456, step, samples);
    var name = "slow" + seed;
    var cases = new ArrayList<SlowComparison>();
    for (int i = 0; cases.size() < 8; i++) {
      var c = SlowComparison.random(seed * 1000 + i, data).in(name);
      // Sums from tiers may differ in their last bits, which these would make much of.
      if (!c.toString().matches("(?s).*(outliers|round|floor|ceil|top|bottom).*")) {
        cases.add(c);
      }
    }
    var part = data.part(0.7);
    send(data, name, new int[part.length], part);
    agree(cases, part, "in memory");
    server().bean(DurableStore.class).flush();
    agree(cases, part, "flushed");
    var all = data.part(1);
    send(data, name, part, all);
    agree(cases, all, "in memory and in rows");
    server().bean(DurableStore.class).flush();
    agree(cases, all, "all flushed, rolled up");
    server().stop();
    server().start();
    agree(cases, all, "after a restart");
  }

  private void send(SlowData data, String name, int[] from, int[] until) {
    var store = server().bean(DurableStore.class);
    for (int i = 0; i < until.length; i++) {
      var s = data.series.get(i);
      var kind = s.counter ? MetricKind.COUNTER : MetricKind.GAUGE;
      int id = store.resolve(new SeriesKey(name, s.metric, Labels.of(s.labels)), kind, "");
      // A few at a time, so that late ones are late.
      for (int at = from[i]; at < until[i]; at += 500) {
        var batch = new SampleBatch();
        for (var x : s.arrivals.subList(at, Math.min(until[i], at + 500))) {
          batch.add(id, x.time(), x.value());
        }
        store.append(batch);
      }
    }
  }

  private void agree(List<SlowComparison> cases, int[] arrived, String stage) {
    var store = server().bean(DurableStore.class);
    var warm = new Evaluator(store, Limits.DEFAULT);
    for (var c : cases) {
      store.dropped();
      assertThat(c.check(store, arrived, warm)).as("%s: %s", stage, c).isNull();
    }
  }

  @Test
  void longWindowsAreAnsweredFromSummariesOfChunksWithoutDecodingThem() {
    long now = System.currentTimeMillis();
    long from = now - 3 * Durations.DAY;
    var key = new SeriesKey("p.gauge", Labels.of("h", "a"));
    fill(key, MetricKind.GAUGE, from, now - 60_000, 10_000);
    fill(new SeriesKey("p.count", Labels.of("h", "a")), MetricKind.COUNTER, from, now, 10_000);
    server().stop();
    server().start();
    var request = Request.range(from + 12_345, now - 77_777, 7 * Durations.HOUR + 13_000);
    var queries =
        List.of(
            "p.gauge%s then mean every 7h13s",
            "p.gauge%s then max over 9h",
            "p.count%s then last every 13h1s",
            "p.gauge%s then spread over 1d");
    samePieces(queries, request);
    // What is not decoded may as well be spoilt: all but the chunks at the ends of windows.
    var store = server().bean(DurableStore.class);
    spoilChunksWithin("p.gauge", from + 10 * Durations.HOUR, from + 20 * Durations.HOUR);
    store.dropped();
    var day =
        Request.range(
            from + 9 * Durations.HOUR + 1, from + 21 * Durations.HOUR + 1, 12 * Durations.HOUR);
    var wide =
        new Request(
            day.from(),
            day.to(),
            day.pitch(),
            day.from(),
            day.zone(),
            "",
            java.util.Map.of(),
            () -> false,
            false);
    assertThat(values("p.gauge then count every 12h", wide)[0]).isBetween(4300.0, 4330.0);
    assertThat(values("p.gauge then times 1 then count every 12h", wide)[0]).isLessThan(2500);
  }

  @Test
  void lateAndReplacedSamplesAreInTheAnswerOfPieces() {
    long now = System.currentTimeMillis();
    long from = now - Durations.DAY;
    var store = server().bean(DurableStore.class);
    int id = store.resolve(new SeriesKey("p.late", Labels.NONE), MetricKind.GAUGE, "");
    var random = new Random(3);
    for (int part = 0; part < 4; part++) {
      var batch = new SampleBatch();
      long start = from + part * 5 * Durations.HOUR;
      for (long t = start; t < start + 5 * Durations.HOUR + 30 * Durations.MINUTE; t += 10_000) {
        // The last half hour of each part comes again with the next, with other values.
        batch.add(id, t, random.nextInt(800) == 0 ? Double.NaN : random.nextInt(100));
      }
      store.append(batch);
      store.flush();
    }
    samePieces(
        List.of("p.late%s then sum every 5h3s", "p.late%s then min over 3h"),
        Request.range(from + 1, now, 2 * Durations.HOUR + 7_000));
  }

  private void samePieces(List<String> queries, Request request) {
    for (var query : queries) {
      var engine = new Evaluator(server().bean(DurableStore.class), Limits.DEFAULT);
      var pieced = engine.evaluate(Parser.parse(query.replace("%s", "")), request);
      assertThat(pieced.stats().tier()).isEqualTo("summaries");
      var raw = values(query.replace("%s", " then times 1"), request);
      assertThat(pieced.lines().getFirst().set().rows().getFirst().values())
          .as(query)
          .containsExactly(raw, within(1e-6));
    }
  }

  private void spoilChunksWithin(String metric, long from, long to) {
    int spoilt =
        server()
            .bean(Database.class)
            .with(
                s ->
                    s.createMutationQuery(
                            "update Chunk c set c.data = :bad where c.tier = 0 and c.startTime >="
                                + " :from and c.endTime < :to and c.seriesId = (select s.id from"
                                + " Series s where s.metric = :metric)")
                        .setParameter("bad", new byte[] {1, 2, 3})
                        .setParameter("from", from)
                        .setParameter("to", to)
                        .setParameter("metric", metric)
                        .executeUpdate());
    assertThat(spoilt).isGreaterThan(3);
  }

  @Test
  void aDamagedRowOfATierIsReadFromFinerOnes() {
    long now = System.currentTimeMillis();
    long from = now - 3 * Durations.DAY;
    fill(new SeriesKey("t.bad", Labels.NONE), MetricKind.GAUGE, from, now, 10_000);
    server().stop();
    server().start();
    var request = Request.range(from, now, Durations.HOUR);
    var sound = values("t.bad", request);
    server()
        .bean(Database.class)
        .run(
            s ->
                s.createSelectionQuery(
                        "from Chunk c where c.tier = 3 and c.seriesId = (select s.id from Series s"
                            + " where s.metric = 't.bad')",
                        ChunkRow.class)
                    .getResultList()
                    .forEach(
                        r -> {
                          r.data[9] ^= 1;
                          s.update(r);
                        }));
    server().bean(DurableStore.class).dropped();
    assertThat(values("t.bad", request)).containsExactly(sound, within(1e-9));
  }

  @Test
  void eachStoreDropsWhatItNeedNotKeepAndSeriesOfWhichNothingIsLeft() {
    var stores = server().bean(NamedStores.class);
    var store = server().bean(DurableStore.class);
    long day = Durations.DAY;
    stores.put("brief", new Retention(2 * day, 3 * day, 4 * day, 5 * day), "test");
    long now = System.currentTimeMillis();
    // A store takes nothing that it would drop at once, so the series grow old by a newer sample.
    stores.put("brief", Retention.of(60 * day), "test");
    var old = new SeriesKey("brief", "r.old", Labels.NONE);
    var young = new SeriesKey("brief", "r.young", Labels.NONE);
    fill(old, MetricKind.GAUGE, now - 12 * day, now - 8 * day, 10_000);
    fill(young, MetricKind.GAUGE, now - 6 * day, now, 10_000);
    fill(new SeriesKey("r.main", Labels.NONE), MetricKind.GAUGE, now - 6 * day, now, 60_000);
    server().stop();
    server().start();
    stores = server().bean(NamedStores.class);
    store = server().bean(DurableStore.class);
    stores.put("brief", new Retention(2 * day, 3 * day, 4 * day, 5 * day), "test");
    var dropped = server().bean(RetentionJob.class).run();
    assertThat(dropped.series()).isEqualTo(1);
    assertThat(store.hasMetric("", "r.old")).isFalse();
    assertThat(store.find(old)).isEqualTo(-1);
    var kept = store.select("brief", "r.young", Condition.ALL).getFirst();
    var raw = store.read(List.of(kept), 0, Long.MAX_VALUE / 2).getFirst();
    assertThat(raw.firstTime())
        .isBetween(now - 2 * day - 3 * Durations.HOUR, now - 2 * day + 60_000);
    var hours = values("r.young", Request.range(now - 6 * day, now, Durations.HOUR));
    assertThat(hours[hours.length - 80]).as("older than raw, from a tier").isNotNaN();
    var request = Request.range(now - 6 * day, now, Durations.HOUR);
    var p90 = values("r.young then p90 every 1h", request);
    assertThat(p90[p90.length - 80]).as("from a sketch").isBetween(80.0, 100.0);
    var p90Raw = values("r.young then times 1 then p90 every 1h", request);
    assertThat(p90[p90.length - 10])
        .as("a sketch is within its error")
        .isCloseTo(p90Raw[p90Raw.length - 10], within(1.0));
    assertThat(store.select("main", "r.main", Condition.ALL)).hasSize(1);
    var main = store.select("main", "r.main", Condition.ALL);
    assertThat(store.read(main, 0, now).getFirst().firstTime()).isLessThan(now - 5 * day);
    fill(old, MetricKind.GAUGE, now - day, now, 10_000);
    assertThat(store.select("brief", "r.old", Condition.ALL)).as("it may come again").hasSize(1);
    assertThat(server().bean(RetentionJob.class).run().chunks()).isZero();
  }

  @Test
  void logRecordsArePackedAndFoundAndDroppedWhenTheyAreOld() {
    var events = server().bean(LogStore.class);
    long now = System.currentTimeMillis();
    var sent = new java.util.ArrayList<Event>();
    for (int i = 0; i < 5000; i++) {
      var labels = Labels.of("host", "c-" + i % 3);
      var level = i % 50 == 0 ? "error" : "info";
      sent.add(new Event(0, "", now - 6_000_000 + i * 1000L, level, "öre " + i, labels, ""));
    }
    events.append("main", sent, "test");
    events.pack();
    var where = Parser.parseCondition("host = 'c-0' and level = 'error'");
    var wanted = new LogStore.Wanted("main", where, 0, now, 1_000_000, () -> false);
    assertThat(events.read(wanted, 1000)).hasSize(34).allMatch(e -> e.text().startsWith("öre"));
    assertThat(events.newest(wanted, 3))
        .extracting(Event::text)
        .containsExactly("öre 4950", "öre 4800", "öre 4650");
    assertThat(events.newest()).isGreaterThanOrEqualTo(now - 1_001_000);
    // A few more if other tests have run before.
    assertThat(events.drop(now + 14 * Durations.DAY + 60_000)).isBetween(5000L, 5006L);
    assertThat(events.read(wanted, 1000)).isEmpty();
  }

  @Test
  void aRequestOfRecordsThatComesAgainIsStoredOnce() throws Exception {
    var events = server().bean(LogStore.class);
    long now = System.currentTimeMillis();
    var labels = Labels.of("case", "again");
    var sent = java.util.List.of(new Event(0, "", now, "info", "twice", labels, ""));
    var where = Parser.parseCondition("case = 'again'");
    var wanted = new LogStore.Wanted("main", where, 0, now + 1, 1_000, () -> false);
    for (var number : java.util.List.of("7", "7", "8", "8", "7")) {
      assertThat(
              events.append("main", sent, "t", new BatchMark("t/host-a", number, now)).accepted())
          .isEqualTo(1);
    }
    // 7 came again only after 8: of one sender that is another request.
    assertThat(events.read(wanted, 100)).hasSize(3);
    events.append("main", sent, "t", new BatchMark("t/host-b", "8", now));
    assertThat(events.read(wanted, 100)).hasSize(4);
    try (var threads = java.util.concurrent.Executors.newVirtualThreadPerTaskExecutor()) {
      for (int i = 0; i < 8; i++) {
        threads.submit(() -> events.append("main", sent, "t", new BatchMark("t/host-a", "9", now)));
      }
    }
    assertThat(events.read(wanted, 100)).hasSize(5);
  }
}
