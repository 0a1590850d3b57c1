package vintrel.server.keep;

import java.security.Principal;
import java.util.List;
import java.util.Map;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import vintrel.server.web.Duties;

/** Definitions over the API, and health. */
@RestController
class KeepController {
  private final Definitions definitions;
  private final Readiness readiness;
  private final Duties duties;

  KeepController(Definitions definitions, Readiness readiness, Duties duties) {
    this.duties = duties;
    this.definitions = definitions;
    this.readiness = readiness;
  }

  @GetMapping("/health/ready")
  ResponseEntity<Map<String, Object>> ready() {
    if (!readiness.ready()) {
      return ResponseEntity.status(503).body(Map.of("status", "starting"));
    }
    var behind = duties.behind();
    return behind.isEmpty()
        ? ResponseEntity.ok(Map.of("status", "ready"))
        : ResponseEntity.status(503).body(Map.of("status", "not ready", "behind", behind));
  }

  /** The process answers; whether it does its work {@code /health/ready} says. */
  @GetMapping("/health/live")
  Map<String, String> live() {
    return Map.of("status", "live");
  }

  @PostMapping("/api/v1/definitions")
  Map<String, List<Definitions.Change>> apply(
      @RequestBody String text,
      @RequestParam(name = "dry-run", defaultValue = "false") boolean dryRun,
      Principal who) {
    return Map.of("definitions", definitions.apply(text, dryRun, who.getName()));
  }

  @GetMapping(path = "/api/v1/definitions")
  ResponseEntity<String> export(@RequestParam(required = false) String kind) {
    return ResponseEntity.ok()
        .contentType(new MediaType("application", "yaml"))
        .body(definitions.export(kind));
  }
}
