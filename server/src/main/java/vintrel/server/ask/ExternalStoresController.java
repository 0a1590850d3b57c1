package vintrel.server.ask;

import java.util.List;
import java.util.Map;
import org.springframework.http.ResponseEntity;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.query.syntax.QueryException;
import vintrel.server.web.AccessLog;
import vintrel.server.web.CurrentUser;

/** The page of external stores, and the same over the API. */
@Controller
class ExternalStoresController {
  private final ExternalStores stores;
  private final SqlStores sql;
  private final StoreConnection connection;

  ExternalStoresController(ExternalStores stores, SqlStores sql, StoreConnection connection) {
    this.connection = connection;
    this.stores = stores;
    this.sql = sql;
  }

  /** A store from a form or a body; absent texts are empty. */
  record Wanted(
      String name, String form, String url, String username, String secret, String accept) {
    Wanted {
      name = name == null ? "" : name.strip();
      form = form == null ? "" : form.strip();
      url = url == null ? "" : url.strip();
      username = username == null ? "" : username;
      secret = secret == null ? "" : secret;
      accept = accept == null ? "" : accept.strip();
    }

    ExternalStores.Form parsed() {
      return switch (form.toLowerCase(java.util.Locale.ROOT)) {
        case "sql" -> ExternalStores.Form.SQL;
        case "vintrel" -> ExternalStores.Form.VINTREL;
        default -> throw new IllegalArgumentException("form is sql or vintrel, not '" + form + "'");
      };
    }
  }

  @GetMapping("/collect/elsewhere")
  String page(Model model) {
    return page("", new Wanted("", "sql", "", "", "", ""), model);
  }

  private String page(String fault, Wanted typed, Model model) {
    model.addAttribute("stores", stores.all());
    model.addAttribute("fault", fault);
    model.addAttribute("typed", typed);
    return "ask/elsewhere";
  }

  @PostMapping("/collect/elsewhere")
  String put(Wanted wanted, Model model) {
    try {
      stores.put(
          wanted.name(),
          wanted.parsed(),
          wanted.url(),
          wanted.username(),
          wanted.secret(),
          wanted.accept(),
          CurrentUser.name());
      AccessLog.done(CurrentUser.name(), "changed the external store " + wanted.name());
      return "redirect:/collect/elsewhere";
    } catch (IllegalArgumentException e) {
      return page(e.getMessage(), wanted, model);
    }
  }

  @PostMapping("/collect/elsewhere/{name}/remove")
  String remove(@PathVariable String name) {
    stores.remove(name);
    return "redirect:/collect/elsewhere";
  }

  /** Tests the connection to a store, step by step. */
  @PostMapping("/collect/elsewhere/{name}/test")
  String test(@PathVariable String name, Model model) {
    model.addAttribute("steps", connection.of(name));
    return "layout/parts :: steps";
  }

  /** The tables of an SQL store, for the builder. */
  @GetMapping("/bench/tables")
  @ResponseBody
  List<SqlStores.TableInfo> tables(@RequestParam String store) {
    return sql.describe(stores.need(ExternalStores.Form.SQL, store));
  }

  /** An SQL store for the builder; {@code dialect} is h2, postgresql or mysql. */
  record DatabaseView(String name, String dialect) {}

  @GetMapping("/bench/databases")
  @ResponseBody
  List<DatabaseView> databases() {
    return stores.all().stream()
        .filter(s -> s.form() == ExternalStores.Form.SQL)
        .map(s -> new DatabaseView(s.name(), dialect(s.url())))
        .toList();
  }

  private static String dialect(String url) {
    return url.split(":")[1].replace("mariadb", "mysql");
  }

  record Statement(String sql) {}

  /** The statement that the builder's pick lists describe. */
  @PostMapping("/bench/statement")
  @ResponseBody
  Statement statement(@RequestParam String store, SqlBuilder.Parts parts) {
    var access = stores.need(ExternalStores.Form.SQL, store);
    return new Statement(SqlBuilder.of(dialect(access.url()), parts));
  }

  @GetMapping("/api/v1/stores")
  @ResponseBody
  List<ExternalStores.Known> all() {
    return stores.all();
  }

  @PostMapping("/api/v1/stores")
  @ResponseBody
  ExternalStores.Known put(@RequestBody Wanted wanted) {
    return stores.put(
        wanted.name(),
        wanted.parsed(),
        wanted.url(),
        wanted.username(),
        wanted.secret(),
        wanted.accept(),
        CurrentUser.name());
  }

  @DeleteMapping("/api/v1/stores/{name}")
  ResponseEntity<Map<String, Object>> forget(@PathVariable String name) {
    if (stores.all().stream().noneMatch(s -> s.name().equals(name))) {
      throw new QueryException("store", "no external store named `" + name + "`", 0, 0);
    }
    stores.remove(name);
    return ResponseEntity.ok(Map.of("removed", name));
  }
}
