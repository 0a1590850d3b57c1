package vintrel.server.tell;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;
import org.hibernate.StatelessSession;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.core.series.Labels;
import vintrel.core.tell.DeliveryPlan;
import vintrel.core.tell.GroupBook;
import vintrel.core.tell.Hush;
import vintrel.core.tell.Notice;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Transition.Change;
import vintrel.server.database.Database;
import vintrel.server.database.Loops;
import vintrel.server.define.Definitions;
import vintrel.server.store.LabelText;

/**
 * Routes notices: asks the plan, keeps the groups, and queues deliveries, all of a round in one
 * transaction. One server at a time does it. If two did for a moment, one of them would find a
 * notice done and begin again.
 */
@Component
class Router {
  private static final long PAUSE = 250;
  private static final int AT_ONCE = 500;
  private static final int MAX_VERDICT = 4_000;

  private final Definitions definitions;
  private final Database database;
  private final Shelves shelves;
  private final Outbox outbox;
  private final Loops loops;
  private final Clock clock;
  private volatile Loops.Loop loop;

  Router(
      Definitions definitions,
      Database database,
      Shelves shelves,
      Outbox outbox,
      Loops loops,
      Clock clock) {
    this.definitions = definitions;
    this.database = database;
    this.shelves = shelves;
    this.outbox = outbox;
    this.loops = loops;
    this.clock = clock;
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    loop =
        loops.start(
            "routing notifications",
            PAUSE,
            "routing",
            () -> {
              while (round() == AT_ONCE) {
                // More wait.
              }
            });
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
  }

  /** The plan as of a time, ms. */
  DeliveryPlan plan(long at) {
    var table = definitions.routing();
    var hush =
        new Hush(
            shelves.overlapping(at, at + 1),
            definitions.windows(),
            table == null ? List.of() : table.routes());
    return new DeliveryPlan(table, definitions.recipients(), hush);
  }

  /** Routes what waits, and queues the messages that are due. */
  int round() {
    long now = clock.millis();
    var waiting = waiting(now);
    if (waiting.isEmpty() && !isDue(now)) {
      return 0;
    }
    var plan = plan(now);
    try {
      database.run(s -> route(s, waiting, plan, now, true));
    } catch (RoutedElsewhere e) {
      // All of the round is undone, and begins again with what is left.
      return 0;
    } catch (RuntimeException e) {
      if (isUnwell(e)) {
        throw e;
      }
      oneByOne(waiting, plan, now);
      throw e;
    }
    return waiting.size();
  }

  /** The database is not well: all of it is done again later. */
  private static boolean isUnwell(RuntimeException e) {
    return Database.sqlState(e) != null && !Database.refusesData(e);
  }

  /** One notice that can't be routed holds back no other; it is put aside, saying why. */
  private void oneByOne(List<NoticeRow> waiting, DeliveryPlan plan, long now) {
    for (var row : waiting) {
      try {
        database.run(s -> route(s, List.of(row), plan, now, false));
      } catch (RoutedElsewhere e) {
        return;
      } catch (RuntimeException e) {
        if (isUnwell(e)) {
          throw e;
        }
        database.run(
            s -> become(s, row, NoticeRow.DONE, 0, "", "could not be routed: " + e.getMessage()));
      }
    }
  }

  private void route(
      StatelessSession s, List<NoticeRow> waiting, DeliveryPlan plan, long now, boolean send) {
    var store = new GroupStore(s);
    var book = store.load(waiting.stream().map(r -> r.alert).toList(), plan, waiting, now);
    waiting.forEach(row -> route(s, row, plan, book, now));
    if (send) {
      for (var message : book.due(now)) {
        outbox.queue(s, message, plan);
      }
    }
    store.save(book);
  }

  /** Another server was faster. */
  private static final class RoutedElsewhere extends RuntimeException {
    RoutedElsewhere(long notice) {
      super("notice " + notice + " was routed by another server");
    }
  }

  /** New ones, and those whose hush has ended, in order. */
  private List<NoticeRow> waiting(long now) {
    return database.with(
        s -> {
          var out =
              new ArrayList<>(
                  s.createSelectionQuery(
                          "from Notice where state = 'NEW' order by id", NoticeRow.class)
                      .setMaxResults(AT_ONCE)
                      .getResultList());
          if (out.size() < AT_ONCE) {
            out.addAll(
                s.createSelectionQuery(
                        "from Notice n where n.state = 'HELD' and (n.untilAt <= :now or n.source"
                            + " like 'shelf %' and not exists (select 1 from Shelf h where"
                            + " concat('shelf ', cast(h.id as String)) = n.source and h.untilAt"
                            + " > :now)) order by n.id",
                        NoticeRow.class)
                    .setParameter("now", now)
                    .setMaxResults(AT_ONCE - out.size())
                    .getResultList());
          }
          return out;
        });
  }

  private boolean isDue(long now) {
    return database.with(
            s ->
                s.createSelectionQuery(
                        "select count(*) from AlertGroup where nextAt <= :now", Long.class)
                    .setParameter("now", now)
                    .getSingleResult())
        > 0;
  }

  private void route(
      StatelessSession s, NoticeRow row, DeliveryPlan plan, GroupBook book, long now) {
    boolean released = row.state.equals(NoticeRow.HELD);
    if (released && !isStillHeld(s, row)) {
      // Something newer of this round, or of another router, ended it.
      return;
    }
    var notice = notice(row, released ? now : row.at);
    if (notice.isOfRule()) {
      var rows = plan.rows(row.alert, notice.labels(), null, notice.at());
      outbox.queueOfRule(s, row, rows, plan);
      become(s, row, NoticeRow.DONE, 0, "", words(rows));
      return;
    }
    if (released) {
      // Whatever it was, it is news to those who hear of it now.
      notice =
          new Notice(row.id, row.alert, notice.labels(), Change.RAISED, notice.priority(), now);
    }
    var outcome = book.take(notice, plan);
    var held = outcome.held();
    if (notice.change() == Change.EASED) {
      held = heldBefore(s, row);
    }
    if (notice.change() != Change.TAKEN_BACK) {
      settle(s, row);
    }
    if (held == null) {
      become(s, row, NoticeRow.DONE, 0, "", words(outcome.rows()));
    } else {
      become(s, row, NoticeRow.HELD, held.until(), held.source(), words(outcome.rows()));
    }
  }

  /** What was held of the same alert is past: it is over, or somebody has it, or more is known. */
  private static void settle(StatelessSession s, NoticeRow row) {
    s.createMutationQuery(
            "update Notice set state = 'DROPPED' where alert = :alert and state = 'HELD' and id <"
                + " :id")
        .setParameter("alert", row.alert)
        .setParameter("id", row.id)
        .executeUpdate();
  }

  /** What holds back an alert that is eased meanwhile, or null. */
  private static Hush.Reason heldBefore(StatelessSession s, NoticeRow row) {
    return s
        .createSelectionQuery(
            "from Notice where alert = :alert and state = 'HELD' and id < :id order by id desc",
            NoticeRow.class)
        .setParameter("alert", row.alert)
        .setParameter("id", row.id)
        .setMaxResults(1)
        .getResultList()
        .stream()
        .findFirst()
        .map(r -> new Hush.Reason(r.source, r.verdict, r.untilAt))
        .orElse(null);
  }

  private static void become(
      StatelessSession s, NoticeRow row, String state, long until, String source, String verdict) {
    int changed =
        s.createMutationQuery(
                "update Notice set state = :state, untilAt = :until, source = :source, verdict ="
                    + " :verdict where id = :id and state = :before")
            .setParameter("state", state)
            .setParameter("until", until)
            .setParameter("source", source)
            .setParameter("verdict", Outbox.cut(verdict, MAX_VERDICT))
            .setParameter("id", row.id)
            .setParameter("before", row.state)
            .executeUpdate();
    if (changed == 0) {
      throw new RoutedElsewhere(row.id);
    }
  }

  private static boolean isStillHeld(StatelessSession s, NoticeRow row) {
    return s.createSelectionQuery("select state from Notice where id = :id", String.class)
        .setParameter("id", row.id)
        .getSingleResult()
        .equals(NoticeRow.HELD);
  }

  private static Notice notice(NoticeRow row, long at) {
    return new Notice(
        row.id,
        row.alert,
        labels(row.labels),
        Change.valueOf(row.change),
        row.priority.isEmpty() ? null : Priority.valueOf(row.priority),
        at);
  }

  static Labels labels(String text) {
    return LabelText.read(text);
  }

  private static String words(List<DeliveryPlan.Row> rows) {
    return rows.stream()
        .map(
            r ->
                r.route().name()
                    + ": "
                    + r.verdict().text()
                    + (r.why().isEmpty() ? "" : " (" + r.why() + ")"))
        .collect(Collectors.joining("\n"));
  }
}
