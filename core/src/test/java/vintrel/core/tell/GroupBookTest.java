package vintrel.core.tell;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Labels;
import vintrel.core.tell.Group.News;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Transition.Change;

class GroupBookTest {
  private static final long S = 1_000;
  private static final long MIN = 60 * S;

  private static Route route(String name, String when, boolean more, Pacing pacing, String... to) {
    return new Route(name, Parser.parseCondition(when), when, List.of(to), more, pacing, List.of());
  }

  private static DeliveryPlan plan(Route... routes) {
    return new DeliveryPlan(new RoutingTable(List.of(routes)), List.of(), Hush.NONE);
  }

  private final DeliveryPlan plan =
      plan(route("all", "", false, new Pacing(List.of("site"), 30 * S, 5 * MIN, 60 * MIN), "duty"));

  private final GroupBook book = new GroupBook();
  private long id;

  private GroupBook.Outcome take(String host, Change change, Priority priority, long at) {
    var labels = Labels.of("site", "mid-isles", "priority", priority.text());
    return book.take(new Notice(++id, host, labels, change, priority, at), plan);
  }

  private String due(long at) {
    var out = new ArrayList<String>();
    for (var m : book.due(at)) {
      m.items().forEach(i -> out.add(i.member().alert() + " " + i.news()));
      out.add("active " + m.active());
    }
    return String.join(", ", out);
  }

  @Test
  void theFirstMessageWaitsForOthersAndTheNextOnesKeepADistance() {
    take("a", Change.RAISED, Priority.HIGH, 0);
    take("b", Change.RAISED, Priority.HIGH, 20 * S);
    assertThat(due(29 * S)).isEmpty();
    assertThat(due(30 * S)).isEqualTo("a RAISED, b RAISED, active 2");
    take("c", Change.RAISED, Priority.LOW, 40 * S);
    take("a", Change.CLEARED, Priority.HIGH, 50 * S);
    assertThat(due(5 * MIN + 29 * S)).isEmpty();
    assertThat(due(5 * MIN + 30 * S)).isEqualTo("c RAISED, a CLEARED, active 2");
  }

  @Test
  void whatIsCriticalGoesAtOnceWithAllThatWaits() {
    take("a", Change.RAISED, Priority.LOW, 0);
    take("b", Change.RAISED, Priority.CRITICAL, S);
    assertThat(due(S)).isEqualTo("b RAISED, a RAISED, active 2");
    take("a", Change.ESCALATED, Priority.CRITICAL, 2 * S);
    assertThat(due(2 * S)).isEqualTo("a ESCALATED, active 2");
  }

  @Test
  void anAlertThatIsOverBeforeItsMessageIsInNone() {
    take("a", Change.RAISED, Priority.HIGH, 0);
    take("a", Change.CLEARED, Priority.HIGH, 10 * S);
    assertThat(due(60 * MIN)).isEmpty();
  }

  @Test
  void flappingBetweenTwoMessagesIsNoNewsButCounted() {
    take("a", Change.RAISED, Priority.HIGH, 0);
    assertThat(due(30 * S)).isNotEmpty();
    for (int i = 1; i <= 3; i++) {
      take("a", Change.CLEARED, Priority.HIGH, i * MIN);
      take("a", Change.RAISED, Priority.HIGH, i * MIN + 10 * S);
    }
    assertThat(due(10 * MIN)).isEmpty();
    take("b", Change.RAISED, Priority.HIGH, 10 * MIN);
    assertThat(due(10 * MIN)).isEqualTo("b RAISED, active 2");
    take("a", Change.CLEARED, Priority.HIGH, 11 * MIN);
    assertThat(due(20 * MIN)).isEqualTo("a CLEARED, active 1");
  }

  @Test
  void aMessageIsRepeatedUntilSomebodyAcknowledges() {
    take("a", Change.RAISED, Priority.HIGH, 0);
    due(30 * S);
    assertThat(due(60 * MIN)).isEmpty();
    assertThat(due(60 * MIN + 30 * S)).isEqualTo("a STILL_RAISED, active 1");
    take("a", Change.ACKNOWLEDGED, Priority.HIGH, 70 * MIN);
    assertThat(due(200 * MIN)).isEmpty();
    take("a", Change.TAKEN_BACK, Priority.HIGH, 210 * MIN);
    assertThat(due(210 * MIN)).isEqualTo("a STILL_RAISED, active 1");
    take("a", Change.CLEARED, Priority.HIGH, 220 * MIN);
    assertThat(due(220 * MIN)).isEqualTo("a CLEARED, active 0");
    assertThat(due(900 * MIN)).isEmpty();
  }

  @Test
  void theEndReachesWhoeverWasNotifiedWhateverTheTableSaysByThen() {
    var before = plan(route("old", "", false, Pacing.EACH, "kim"));
    var after = plan(route("new", "", false, Pacing.EACH, "joss"));
    var labels = Labels.of("site", "x");
    book.take(new Notice(1, "a", labels, Change.RAISED, Priority.HIGH, 0), before);
    assertThat(book.due(0)).extracting(m -> m.group().recipient()).containsExactly("kim");
    book.take(new Notice(2, "a", labels, Change.CLEARED, Priority.HIGH, S), after);
    assertThat(book.due(S)).extracting(m -> m.group().recipient()).containsExactly("kim");
  }

  @Test
  void anEscalationReachesNewRowsAndNobodyTwice() {
    var two =
        plan(
            route("critical", "priority = 'critical'", true, Pacing.EACH, "on-call", "duty"),
            route("all", "", false, Pacing.EACH, "duty"));
    var low = Labels.of("priority", "low");
    var critical = Labels.of("priority", "critical");
    book.take(new Notice(1, "a", low, Change.RAISED, Priority.LOW, 0), two);
    assertThat(book.due(0)).extracting(m -> m.group().recipient()).containsExactly("duty");
    book.take(new Notice(2, "a", critical, Change.ESCALATED, Priority.CRITICAL, S), two);
    assertThat(book.due(S))
        .extracting(m -> m.group().recipient() + " " + m.news())
        .containsExactlyInAnyOrder("duty ESCALATED", "on-call RAISED");
  }

  @Test
  void aHushKeepsRaisesBackButNotTheEndOfWhatWasTold() {
    var shelf =
        new Shelf(
            1, "", Parser.parseCondition("site = 'x'"), "site = 'x'", "", "kim", 10, 99, false);
    var route = route("all", "", false, Pacing.EACH, "duty");
    var hushed =
        new DeliveryPlan(
            new RoutingTable(List.of(route)),
            List.of(),
            new Hush(List.of(shelf), List.of(), List.of(route)));
    var labels = Labels.of("site", "x");
    book.take(new Notice(1, "a", labels, Change.RAISED, Priority.HIGH, 9), hushed);
    assertThat(book.due(9)).hasSize(1);
    var held = book.take(new Notice(2, "b", labels, Change.RAISED, Priority.HIGH, 10), hushed);
    assertThat(held.held().until()).isEqualTo(99);
    assertThat(held.groups()).isEmpty();
    book.take(new Notice(3, "a", labels, Change.CLEARED, Priority.HIGH, 20), hushed);
    assertThat(book.due(20)).extracting(Group.Message::news).containsExactly(News.CLEARED);
    var critical =
        book.take(new Notice(4, "c", labels, Change.RAISED, Priority.CRITICAL, 30), hushed);
    assertThat(critical.held()).isNull();
    assertThat(
            book.take(new Notice(5, "d", labels, Change.RAISED, Priority.HIGH, 99), hushed).held())
        .as("the end of a shelf is exclusive")
        .isNull();
  }

  /**
   * Random alerts against what messages must amount to: whoever reads all messages knows after each
   * of them, and at the end, which alerts are active at which priority; no message says what the
   * one before said, and none comes sooner than the row allows.
   */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12})
  void messagesAmountToWhatIs(long seed) {
    var random = new Random(seed);
    long first = random.nextInt(3) * 20 * S;
    long follow = random.nextInt(3) * 2 * MIN;
    var pacing = new Pacing(List.of("site"), first, follow, 0);
    var own = plan(route("all", "", false, pacing, "duty"));
    var actual = new HashMap<String, Priority>();
    var read = new HashMap<String, Map<String, Priority>>();
    var lastAt = new HashMap<String, Long>();
    var urgent = new HashMap<String, Boolean>();
    long end = 3_000 * S;
    for (long t = 0; t <= end + 30 * MIN; t += 5 * S) {
      if (t < end && random.nextInt(3) == 0) {
        var site = "s" + random.nextInt(2);
        var alert = site + " " + random.nextInt(3);
        var p = Priority.values()[random.nextInt(4)];
        var was = actual.get(alert);
        var change =
            was == null
                ? Change.RAISED
                : random.nextBoolean() || was == p
                    ? Change.CLEARED
                    : p.compareTo(was) < 0 ? Change.ESCALATED : Change.EASED;
        if (change == Change.CLEARED) {
          actual.remove(alert);
        } else {
          actual.put(alert, p);
          urgent.merge(site, p == Priority.CRITICAL, Boolean::logicalOr);
        }
        book.take(new Notice(++id, alert, Labels.of("site", site), change, p, t), own);
      }
      for (var m : book.due(t)) {
        var site = m.group().labels().get("site");
        var known = read.computeIfAbsent(site, k -> new HashMap<>());
        for (var item : m.items()) {
          var alert = item.member().alert();
          var told = known.get(alert);
          switch (item.news()) {
            case RAISED -> assertThat(told).isNull();
            case ESCALATED -> assertThat(item.member().priority()).isLessThan(told);
            case EASED -> assertThat(item.member().priority()).isGreaterThan(told);
            case CLEARED -> assertThat(told).isNotNull();
            case STILL_RAISED -> throw new AssertionError("nothing is repeated");
          }
          if (item.news() == News.CLEARED) {
            known.remove(alert);
          } else {
            known.put(alert, item.member().priority());
          }
        }
        var now = new HashMap<>(actual);
        now.keySet().removeIf(a -> !a.startsWith(site));
        assertThat(known).as("seed %d at %d", seed, t).isEqualTo(now);
        if (!urgent.getOrDefault(site, false) && !known.isEmpty() && lastAt.containsKey(site)) {
          assertThat(t - lastAt.get(site)).isGreaterThanOrEqualTo(Math.min(first, follow));
        }
        lastAt.put(site, t);
        urgent.put(site, false);
      }
    }
    var all = new HashMap<String, Priority>();
    read.values().forEach(all::putAll);
    assertThat(all).isEqualTo(actual);
  }

  /** The dry run is the same machine: it counts what the book would have sent tick by tick. */
  @ParameterizedTest
  @ValueSource(longs = {21, 22, 23, 24, 25})
  void aDryRunCountsWhatWouldHaveBeenSent(long seed) {
    var random = new Random(seed);
    var own =
        plan(
            route(
                "sites",
                "site = 's1'",
                true,
                new Pacing(List.of("site"), 30 * S, 2 * MIN, 10 * MIN),
                "duty",
                "kim"),
            route("all", "", false, Pacing.EACH, "kim"));
    var notices = new ArrayList<Notice>();
    var active = new HashMap<String, Priority>();
    for (long t = 0; t < 5_000 * S; t += 10 * S) {
      if (random.nextInt(3) == 0) {
        var site = "s" + random.nextInt(2);
        var alert = site + " " + random.nextInt(4);
        boolean raise = active.get(alert) == null;
        var p = raise ? Priority.values()[random.nextInt(4)] : active.get(alert);
        active.put(alert, raise ? p : null);
        var change = raise ? Change.RAISED : Change.CLEARED;
        notices.add(new Notice(notices.size(), alert, Labels.of("site", site), change, p, t));
      }
    }
    var expected = new HashMap<String, Integer>();
    int next = 0;
    for (long t = 0; t <= 6_000 * S; t += 5 * S) {
      for (; next < notices.size() && notices.get(next).at() == t; next++) {
        book.take(notices.get(next), own);
      }
      book.due(t).forEach(m -> expected.merge(m.group().recipient(), 1, Integer::sum));
    }
    assertThat(new DryRun(own).run(notices, 6_000 * S)).isEqualTo(expected);
  }
}
