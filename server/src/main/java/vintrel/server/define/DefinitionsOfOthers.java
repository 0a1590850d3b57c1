package vintrel.server.define;

import jakarta.annotation.PreDestroy;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.core.unit.Durations;
import vintrel.server.database.Leases;
import vintrel.server.database.Loops;

/** What other servers on the same database define reaches this one within a second or two. */
@Component
class DefinitionsOfOthers {
  private final Definitions definitions;
  private final Leases leases;
  private final Loops loops;
  private volatile Loops.Loop loop;

  DefinitionsOfOthers(Definitions definitions, Leases leases, Loops loops) {
    this.definitions = definitions;
    this.leases = leases;
    this.loops = loops;
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    if (leases.areShared()) {
      loop =
          loops.start(
              "reading what other servers define", Durations.SECOND, null, definitions::follow);
    }
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
  }
}
