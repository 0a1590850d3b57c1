package vintrel.server.access;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.security.SecureRandom;
import java.time.Duration;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.security.core.userdetails.User;
import org.springframework.security.core.userdetails.UserDetails;
import org.springframework.security.core.userdetails.UserDetailsService;
import org.springframework.security.core.userdetails.UsernameNotFoundException;
import org.springframework.security.crypto.password.PasswordEncoder;
import org.springframework.stereotype.Service;
import vintrel.core.series.Admission;
import vintrel.server.database.Database;
import vintrel.server.web.Settings;

/** Who may sign in. The first start makes an administrator with a one-time password. */
@Service
class Users implements UserDetailsService {
  private static final Logger log = LoggerFactory.getLogger(Users.class);

  /** Asked for with each page. */
  private final Cache<String, Boolean> changing =
      Caffeine.newBuilder().maximumSize(1_000).expireAfterWrite(Duration.ofMinutes(1)).build();

  private final Database database;
  private final PasswordEncoder encoder;
  private final Settings settings;

  Users(Database database, PasswordEncoder encoder, Settings settings) {
    this.database = database;
    this.encoder = encoder;
    this.settings = settings;
  }

  @EventListener(ApplicationReadyEvent.class)
  void firstStart() {
    long count =
        database.with(
            s ->
                s.createSelectionQuery("select count(*) from Person", Long.class)
                    .getSingleResult());
    if (count > 0 || settings.demo() || settings.train()) {
      return;
    }
    var password = oneTimePassword();
    var admin = new UserRow();
    admin.name = "admin";
    admin.password = encoder.encode(password);
    admin.role = "ADMIN";
    admin.mustChange = true;
    database.run(s -> s.insert(admin));
    System.err.println(
        "vintrel: sign in as admin with the one-time password " + password + " (shown only once)");
    log.info("created the first administrator");
  }

  private static String oneTimePassword() {
    var letters = "abcdefghjkmnpqrstuvwxyz23456789";
    var random = new SecureRandom();
    var out = new StringBuilder();
    for (int i = 0; i < 16; i++) {
      out.append(i > 0 && i % 4 == 0 ? "-" : "")
          .append(letters.charAt(random.nextInt(letters.length())));
    }
    return out.toString();
  }

  @Override
  public UserDetails loadUserByUsername(String name) {
    boolean may = name.length() <= 200 && Admission.text(name);
    var person = may ? database.with(s -> s.get(UserRow.class, name)) : null;
    if (person == null) {
      throw new UsernameNotFoundException("not known");
    }
    return User.withUsername(person.name).password(person.password).roles(person.role).build();
  }

  boolean mustChange(String name) {
    return changing.get(
        name,
        n -> {
          var person = database.with(s -> s.get(UserRow.class, n));
          return person != null && person.mustChange;
        });
  }

  /** The present password was not the one that was typed. */
  static final class WrongPassword extends IllegalArgumentException {
    WrongPassword() {
      super("the current password is wrong");
    }
  }

  /**
   * Sets a person's own password.
   *
   * @throws WrongPassword if the present one is another
   * @throws IllegalArgumentException in words for the person
   */
  void changePassword(String name, String old, String wanted) {
    var person = database.with(s -> s.get(UserRow.class, name));
    if (person == null || !encoder.matches(old, person.password)) {
      throw new WrongPassword();
    }
    PasswordRules.check(wanted, name);
    person.password = encoder.encode(wanted);
    person.mustChange = false;
    database.run(s -> s.update(person));
    changing.invalidate(name);
  }
}
