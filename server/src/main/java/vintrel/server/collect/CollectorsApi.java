package vintrel.server.collect;

import java.util.NoSuchElementException;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.RestController;

/** Where collectors take their inputs from, if their own file allows it. */
@RestController
class CollectorsApi {
  private final CollectorTexts texts;

  CollectorsApi(CollectorTexts texts) {
    this.texts = texts;
  }

  /**
   * The configuration as YAML, with the checks that are placed at it; answered with 304 while it is
   * the one of If-None-Match.
   */
  @GetMapping("/api/v1/collectors/{name}")
  ResponseEntity<String> config(@PathVariable String name) {
    var text = texts.wanted(name);
    if (text == null) {
      throw new NoSuchElementException("no collector configuration named `" + name + "`");
    }
    return ResponseEntity.ok()
        .eTag("\"" + CollectorsView.hash(text) + "\"")
        .contentType(new MediaType("application", "yaml"))
        .body(text);
  }
}
