package vintrel.server.access;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.security.Principal;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.List;
import java.util.function.Predicate;
import java.util.regex.Pattern;
import org.hibernate.LockMode;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.security.core.Authentication;
import org.springframework.security.core.authority.SimpleGrantedAuthority;
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

  private static final int MAX_NAME = 200;

  /** Characters that a part of an address can't have. */
  private static final Predicate<String> UNFIT = Pattern.compile("[/\\\\;%]").asPredicate();

  /** What each page asks of a person. */
  private record Standing(boolean mustChange, boolean disabled, String role) {}

  private final Cache<String, Standing> standings =
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
    var password = add("admin", Role.ADMINISTRATOR);
    System.err.println(
        "vintrel: sign in as admin with the one-time password " + password + " (shown only once)");
    log.info("created the first administrator");
  }

  /** All people, by name. */
  List<UserRow> all() {
    return database.with(
        s -> s.createSelectionQuery("from Person order by name", UserRow.class).getResultList());
  }

  /**
   * Adds a person who has to choose a password at the first sign-in.
   *
   * @return the one-time password
   * @throws IllegalArgumentException if the name is taken, or can't be one
   */
  String add(String name, Role role) {
    if (name.isBlank() || name.length() > MAX_NAME || !Admission.text(name) || UNFIT.test(name)) {
      throw new IllegalArgumentException(
          "a name has 1 to %d characters, without control characters and / \\ ; %%"
              .formatted(MAX_NAME));
    }
    var password = oneTimePassword();
    var person = new UserRow();
    person.name = name;
    person.password = encoder.encode(password);
    person.role = role.stored();
    person.mustChange = true;
    database.run(
        s -> {
          if (s.get(UserRow.class, name) != null) {
            throw new IllegalArgumentException("a person named `" + name + "` already exists");
          }
          s.insert(person);
        });
    standings.invalidate(name);
    return password;
  }

  /**
   * Changes a person; null leaves what it is.
   *
   * @throws IllegalArgumentException if no administrator would be left
   */
  UserRow change(String name, Role role, Boolean disabled) {
    var changed =
        database.with(
            s -> {
              // All of them, locked: two changes at once must not both find another one left.
              var people =
                  s.createSelectionQuery("from Person", UserRow.class)
                      .setHibernateLockMode(LockMode.PESSIMISTIC_WRITE)
                      .getResultList();
              var person =
                  people.stream().filter(p -> p.name.equals(name)).findFirst().orElseThrow();
              boolean before = people.stream().anyMatch(UserRow::isAdministrator);
              person.role = role == null ? person.role : role.stored();
              person.disabled = disabled == null ? person.disabled : disabled;
              if (before && people.stream().noneMatch(UserRow::isAdministrator)) {
                throw new IllegalArgumentException(
                    "`%s` is the last administrator; make somebody else one first".formatted(name));
              }
              s.update(person);
              return person;
            });
    standings.invalidate(name);
    return changed;
  }

  /** Sets a new one-time password, and returns it. */
  String reset(String name) {
    var password = oneTimePassword();
    database.run(
        s -> {
          var person = s.get(UserRow.class, name);
          person.password = encoder.encode(password);
          person.mustChange = true;
          s.update(person);
        });
    standings.invalidate(name);
    return password;
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
    boolean may = name.length() <= MAX_NAME && Admission.text(name);
    var person = may ? database.with(s -> s.get(UserRow.class, name)) : null;
    if (person == null || person.disabled) {
      // The same for both: the answer does not tell who exists.
      throw new UsernameNotFoundException("not known");
    }
    return new Known(person);
  }

  /** Who signed in; the session keeps whether that was with a one-time password. */
  static final class Known extends User {
    private static final long serialVersionUID = 1;
    private final boolean oneTime;

    Known(UserRow row) {
      super(row.name, row.password, List.of(new SimpleGrantedAuthority("ROLE_" + row.role)));
      this.oneTime = row.mustChange;
    }
  }

  boolean mustChange(String name) {
    return standing(name).mustChange();
  }

  /**
   * Whether a person was disabled or got another role after she signed in, wherever that was done:
   * another server learns of it within a minute.
   */
  boolean isOver(Principal who) {
    var now = standing(who.getName());
    return now.disabled()
        || who instanceof Authentication a
            && a.getPrincipal() instanceof Known k
            && !k.getAuthorities().contains(new SimpleGrantedAuthority("ROLE_" + now.role()));
  }

  private Standing standing(String name) {
    return standings.get(
        name,
        n -> {
          var person = database.with(s -> s.get(UserRow.class, n));
          return person == null
              ? new Standing(false, false, "")
              : new Standing(person.mustChange, person.disabled, person.role);
        });
  }

  /** Whether a session began with the one-time password that is still to be replaced. */
  boolean cameWithOneTimePassword(Principal who) {
    return who instanceof Authentication a
        && a.getPrincipal() instanceof Known k
        && k.oneTime
        && mustChange(k.getUsername());
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
   * @param old null if the session has shown already that the person has it
   * @throws WrongPassword if the present one is another
   * @throws IllegalArgumentException in words for the person
   */
  void changePassword(String name, String old, String wanted) {
    var person = database.with(s -> s.get(UserRow.class, name));
    if (person == null || old != null && !encoder.matches(old, person.password)) {
      throw new WrongPassword();
    }
    PasswordRules.check(wanted, name);
    person.password = encoder.encode(wanted);
    person.mustChange = false;
    database.run(s -> s.update(person));
    standings.invalidate(name);
  }
}
