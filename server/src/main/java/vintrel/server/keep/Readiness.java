package vintrel.server.keep;

import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;

/** True once everything has started. */
@Component
public class Readiness {
  private volatile boolean ready;

  @EventListener(ApplicationReadyEvent.class)
  void started() {
    ready = true;
  }

  public boolean ready() {
    return ready;
  }
}
