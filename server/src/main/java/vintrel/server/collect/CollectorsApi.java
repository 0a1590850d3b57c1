package vintrel.server.collect;

import java.util.NoSuchElementException;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.RestController;
import vintrel.server.define.Definitions;

/** Where collectors take their inputs from, if their own file allows it. */
@RestController
class CollectorsApi {
  private final Definitions definitions;

  CollectorsApi(Definitions definitions) {
    this.definitions = definitions;
  }

  /** The configuration as YAML; answered with 304 while it is the one of If-None-Match. */
  @GetMapping("/api/v1/collectors/{name}")
  ResponseEntity<String> config(@PathVariable String name) {
    var stored = definitions.find("collector", name);
    if (stored == null) {
      throw new NoSuchElementException("no collector configuration named `" + name + "`");
    }
    return ResponseEntity.ok()
        .eTag("\"" + stored.version() + "\"")
        .contentType(new MediaType("application", "yaml"))
        .body(stored.text());
  }
}
