package vintrel.server.keep;

import java.security.SecureRandom;
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
import vintrel.server.web.Settings;

/** Who may sign in. The first start makes an administrator with a one-time password. */
@Service
class People implements UserDetailsService {
  private static final Logger log = LoggerFactory.getLogger(People.class);
  static final int LEAST_PASSWORD = 10;

  private final Database database;
  private final PasswordEncoder encoder;
  private final Settings settings;

  People(Database database, PasswordEncoder encoder, Settings settings) {
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
    var admin = new Person();
    admin.name = "admin";
    admin.password = encoder.encode(password);
    admin.role = "ADMIN";
    admin.mustChange = true;
    database.run(s -> s.insert(admin));
    System.err.println(
        "vintrel: sign in as admin with the one-time password " + password + " (shown only now)");
    log.info("the first administrator was made");
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
    var person = database.with(s -> s.get(Person.class, name));
    if (person == null) {
      throw new UsernameNotFoundException("not known");
    }
    return User.withUsername(person.name).password(person.password).roles(person.role).build();
  }

  boolean mustChange(String name) {
    var person = database.with(s -> s.get(Person.class, name));
    return person != null && person.mustChange;
  }

  /**
   * Sets a person's own password.
   *
   * @throws IllegalArgumentException in words for the person
   */
  void changePassword(String name, String old, String wanted) {
    if (wanted.length() < LEAST_PASSWORD) {
      throw new IllegalArgumentException("take at least " + LEAST_PASSWORD + " characters");
    }
    database.run(
        s -> {
          var person = s.get(Person.class, name);
          if (person == null || !encoder.matches(old, person.password)) {
            throw new IllegalArgumentException("the present password is not right");
          }
          person.password = encoder.encode(wanted);
          person.mustChange = false;
          s.update(person);
        });
  }
}
