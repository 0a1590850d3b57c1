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

/** Definitions over the API, and health. */
@RestController
class KeepController {
  private final Definitions definitions;
  private final Readiness readiness;

  KeepController(Definitions definitions, Readiness readiness) {
    this.definitions = definitions;
    this.readiness = readiness;
  }

  @GetMapping("/health/ready")
  ResponseEntity<Map<String, String>> ready() {
    return readiness.ready()
        ? ResponseEntity.ok(Map.of("status", "ready"))
        : ResponseEntity.status(503).body(Map.of("status", "starting"));
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
