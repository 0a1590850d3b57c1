package vintrel.server.define;

import java.security.Principal;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.NoSuchElementException;
import org.springframework.http.HttpStatus;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.ExceptionHandler;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.define.Bundle;
import vintrel.core.define.Changes;
import vintrel.core.define.Definition;
import vintrel.core.define.Portable;
import vintrel.core.define.Schema;

/** Definitions over the API: as a bundle, and one by one with their versions. */
@RestController
class DefinitionApi {
  private static final MediaType YAML = new MediaType("application", "yaml");
  private static final List<String> YAML_TYPES =
      List.of("yaml", "x-yaml", "vnd.yaml", "vnd.yml", "x-yml");

  private final Definitions definitions;
  private final DefinitionAdvice advice;

  DefinitionApi(Definitions definitions, DefinitionAdvice advice) {
    this.definitions = definitions;
    this.advice = advice;
  }

  /** What a PUT did. */
  record Put(String kind, String name, int version, String what, List<String> advice) {}

  record RevisionView(
      int version, String at, String by, String from, String text, boolean deleted) {}

  record History(List<RevisionView> revisions) {}

  record Restore(Integer version) {}

  record Fault(String code, String text) {}

  /** A refused save: what is in force, and what changed since. */
  record Stale(Fault error, int version, List<Changes.Change> since) {}

  @PostMapping("/api/v1/definitions")
  Map<String, List<Change>> apply(
      @RequestBody String text,
      @RequestParam(name = "dry-run", defaultValue = "false") boolean dryRun,
      @RequestParam(required = false) String prune,
      @RequestParam(name = "store", required = false) List<String> stores,
      @RequestHeader(name = "Content-Type", defaultValue = "") String type,
      Principal who) {
    if (type.startsWith(MediaType.APPLICATION_FORM_URLENCODED_VALUE)) {
      throw new IllegalArgumentException(
          "add the header `Content-Type: application/yaml`: without it the text came as a form,"
              + " which loses line breaks and signs");
    }
    if (prune != null && prune.isBlank()) {
      throw new IllegalArgumentException("`prune` must name a folder");
    }
    var moved = stores == null ? text : moved(text, stores);
    return Map.of(
        "definitions", definitions.apply(moved, prune, dryRun, who.getName(), Origin.API));
  }

  /** Dashboards of a bundle read other stores; each is told as {@code old=new}. */
  private static String moved(String text, List<String> stores) {
    var to = new LinkedHashMap<String, String>();
    for (var pair : stores) {
      int cut = pair.indexOf('=');
      if (cut < 1 || cut == pair.length() - 1) {
        throw new IllegalArgumentException("`store` must be old=new, not '" + pair + "'");
      }
      to.put(pair.substring(0, cut), pair.substring(cut + 1));
    }
    var out = new StringBuilder();
    for (var document : Bundle.parse(text).documents()) {
      boolean dashboard = document.definition() instanceof Definition.OfDashboard;
      var one =
          dashboard
              ? Bundle.Document.of(
                  new Definition.OfDashboard(
                      Portable.with(
                          ((Definition.OfDashboard) document.definition()).dashboard(), to)))
              : document;
      out.append("---\n").append(one.text());
    }
    return out.toString();
  }

  @GetMapping("/api/v1/definitions")
  ResponseEntity<String> export(@RequestParam(required = false) String kind) {
    return ResponseEntity.ok().contentType(YAML).body(definitions.export(kind));
  }

  @GetMapping("/api/v1/schema/definitions.json")
  ResponseEntity<Map<String, Object>> schema() {
    return ResponseEntity.ok()
        .contentType(new MediaType("application", "schema+json"))
        .body(Schema.definitions());
  }

  @GetMapping("/api/v1/definitions/{kind}/{name}")
  ResponseEntity<Object> find(
      @PathVariable String kind,
      @PathVariable String name,
      @RequestHeader(name = "Accept", required = false) String accept) {
    var stored = definitions.find(kind, name);
    if (stored == null) {
      throw new NoSuchElementException("no %s named `%s`".formatted(kind, name));
    }
    boolean yaml = wantsYaml(accept);
    return ResponseEntity.ok()
        .eTag(tag(stored.version()))
        .header("Vary", "Accept")
        .contentType(yaml ? YAML : MediaType.APPLICATION_JSON)
        .body(yaml ? stored.text() : stored.content());
  }

  @PutMapping("/api/v1/definitions/{kind}/{name}")
  ResponseEntity<Put> put(
      @PathVariable String kind,
      @PathVariable String name,
      @RequestHeader(name = "If-Match", required = false) String match,
      @RequestHeader(name = "If-None-Match", required = false) String noneMatch,
      @RequestBody String text,
      Principal who) {
    var expected = expected(kind, name, match, noneMatch);
    var saved =
        definitions.save(Bundle.named(text, kind, name), expected, who.getName(), Origin.API);
    var stored = saved.stored();
    var body = new Put(kind, name, stored.version(), saved.what(), advice.of(stored.definition()));
    return ResponseEntity.status(saved.what().equals("made") ? HttpStatus.CREATED : HttpStatus.OK)
        .eTag(tag(stored.version()))
        .body(body);
  }

  @DeleteMapping("/api/v1/definitions/{kind}/{name}")
  ResponseEntity<Void> delete(
      @PathVariable String kind,
      @PathVariable String name,
      @RequestHeader(name = "If-Match", required = false) String match,
      Principal who) {
    definitions.remove(kind, name, expected(kind, name, match, null), who.getName(), Origin.API);
    return ResponseEntity.noContent().build();
  }

  @GetMapping("/api/v1/definitions/{kind}/{name}/history")
  History history(@PathVariable String kind, @PathVariable String name) {
    var revisions = definitions.history(kind, name);
    if (revisions.isEmpty()) {
      throw new NoSuchElementException("there was never a %s named `%s`".formatted(kind, name));
    }
    return new History(
        revisions.stream()
            .map(
                r ->
                    new RevisionView(
                        r.version(),
                        Instant.ofEpochMilli(r.at()).toString(),
                        r.by(),
                        r.from().text(),
                        r.deleted() ? "" : r.text(),
                        r.deleted()))
            .toList());
  }

  @PostMapping("/api/v1/definitions/{kind}/{name}/restore")
  ResponseEntity<Put> restore(
      @PathVariable String kind,
      @PathVariable String name,
      @RequestBody(required = false) String body,
      Principal who) {
    var version = body == null || body.isBlank() ? null : restore(body).version();
    var saved = definitions.restore(kind, name, version, who.getName(), Origin.API);
    var stored = saved.stored();
    return ResponseEntity.ok()
        .eTag(tag(stored.version()))
        .body(new Put(kind, name, stored.version(), saved.what(), advice.of(stored.definition())));
  }

  private static Restore restore(String body) {
    try {
      return JsonMapper.shared().readValue(body, Restore.class);
    } catch (JacksonException e) {
      throw new IllegalArgumentException("the body must be empty or {\"version\": NUMBER}");
    }
  }

  @ExceptionHandler
  ResponseEntity<Stale> stale(StaleVersionException e) {
    var response = ResponseEntity.status(HttpStatus.PRECONDITION_FAILED);
    if (e.version() > 0) {
      response.eTag(tag(e.version()));
    }
    return response.body(new Stale(new Fault("stale", e.getMessage()), e.version(), e.since()));
  }

  private static String tag(int version) {
    return "\"" + version + "\"";
  }

  private static boolean wantsYaml(String accept) {
    if (accept == null) {
      return false;
    }
    var types = MediaType.parseMediaTypes(accept);
    org.springframework.util.MimeTypeUtils.sortBySpecificity(types);
    types.sort(java.util.Comparator.comparingDouble(MediaType::getQualityValue).reversed());
    for (var type : types) {
      if (YAML_TYPES.contains(type.getSubtype())) {
        return true;
      }
      if (type.includes(MediaType.APPLICATION_JSON)) {
        return false;
      }
    }
    return false;
  }

  /**
   * The version that a request is based on (RFC 9110, 13.1): null for any, 0 if it must be new.
   *
   * @throws StaleVersionException if none of the tags can match
   */
  private Integer expected(String kind, String name, String match, String noneMatch) {
    var stored = definitions.find(kind, name);
    if (noneMatch != null && noneMatch.strip().equals("*")) {
      return 0;
    }
    if (match == null) {
      return null;
    }
    if (match.strip().equals("*")) {
      // Whatever is there, as long as there is something.
      return stored == null ? -1 : Integer.valueOf(stored.version());
    }
    Integer first = null;
    for (var part : match.split(",")) {
      var tag = part.strip();
      if (!tag.matches("(W/)?\"[^\"]*\"")) {
        throw new IllegalArgumentException(
            "`If-Match` must be a quoted version such as \"3\", not " + tag);
      }
      // Weak tags and tags of something else never match.
      int version = tag.matches("\"\\d{1,9}\"") ? Integer.parseInt(tag.replace("\"", "")) : -1;
      if (stored != null && version == stored.version()) {
        return version;
      }
      first = first == null ? Integer.valueOf(version) : first;
    }
    return first;
  }
}
