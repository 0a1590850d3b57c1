package vintrel.server.web;

import java.util.Map;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RestController;

/** Whether the server is up, and whether it does its work. */
@RestController
class HealthController {
  private final Duties duties;
  private volatile boolean started;

  HealthController(Duties duties) {
    this.duties = duties;
  }

  @EventListener(ApplicationReadyEvent.class)
  void started() {
    started = true;
  }

  @GetMapping("/health/ready")
  ResponseEntity<Map<String, Object>> ready() {
    if (!started) {
      return ResponseEntity.status(503).body(Map.of("status", "starting"));
    }
    var behind = duties.behind();
    return behind.isEmpty()
        ? ResponseEntity.ok(Map.of("status", "ready"))
        : ResponseEntity.status(503)
            .body(Map.of("status", "not ready", "behind", behind, "why", duties.troubles()));
  }

  /** Whether the process responds; {@code /health/ready}: whether it works. */
  @GetMapping("/health/live")
  Map<String, String> live() {
    return Map.of("status", "live");
  }
}
