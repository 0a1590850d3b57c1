package vintrel.server.access;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.NoSuchElementException;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PatchMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RestController;
import vintrel.server.web.AccessLog;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.SignedIn;

/** People who sign in: list, add, change. For tokens with all permissions, and the script. */
@RestController
class PeopleApi {
  private final Users users;
  private final SignedIn signedIn;

  PeopleApi(Users users, SignedIn signedIn) {
    this.users = users;
    this.signedIn = signedIn;
  }

  /** A person as a request names her; what is absent stays. */
  record Person(String name, String role, Boolean disabled) {}

  @GetMapping("/api/v1/people")
  List<Map<String, Object>> list() {
    return users.all().stream().map(PeopleApi::json).toList();
  }

  private static Map<String, Object> json(UserRow row) {
    var out = new LinkedHashMap<String, Object>();
    out.put("name", row.name);
    out.put("role", Role.named(row.role).word());
    out.put("disabled", row.disabled);
    return out;
  }

  /** Adds a person; the answer has the one-time password, which is shown only here. */
  @PostMapping("/api/v1/people")
  Map<String, Object> add(@RequestBody Person person) {
    var role = Role.of(person.role() == null ? Role.VIEWER.word() : person.role());
    var name = person.name() == null ? "" : person.name().strip();
    var password = users.add(name, role);
    AccessLog.done(CurrentUser.name(), "added the person " + name + " as " + role.word());
    return Map.of("name", name, "role", role.word(), "password", password);
  }

  /** Changes the role of a person, disables her, or lets her in again; her sessions end. */
  @PatchMapping("/api/v1/people/{name}")
  Map<String, Object> change(@PathVariable String name, @RequestBody Person wanted) {
    var row =
        users.change(
            known(name), wanted.role() == null ? null : Role.of(wanted.role()), wanted.disabled());
    signedIn.endAll(name);
    AccessLog.done(
        CurrentUser.name(),
        "changed the person " + name + ": " + row.role + (row.disabled ? ", disabled" : ""));
    return json(row);
  }

  /** A new one-time password for a person who has lost hers; her sessions end. */
  @PostMapping("/api/v1/people/{name}/password")
  Map<String, Object> reset(@PathVariable String name) {
    var password = users.reset(known(name));
    signedIn.endAll(name);
    AccessLog.done(CurrentUser.name(), "reset the password of " + name);
    return Map.of("name", name, "password", password);
  }

  private String known(String name) {
    if (users.all().stream().noneMatch(p -> p.name.equals(name))) {
      throw new NoSuchElementException("no person named `" + name + "`");
    }
    return name;
  }
}
