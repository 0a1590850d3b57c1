package vintrel.server.web;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.time.Clock;
import java.time.Duration;
import java.util.Locale;
import org.springframework.stereotype.Component;

/**
 * Makes guessing passwords slow: after some failures each further try has to wait, twice as long
 * each time up to a bound. Failures count for an account from one network, for the network, and,
 * with a small bound, for the account from anywhere; so no account can be locked out for good by
 * others. Any thread.
 */
@Component
public class SignInGuard {
  private static final int MAX = 50_000;
  private static final Duration FORGOTTEN = Duration.ofHours(1);

  private final Clock clock;
  private final Cache<String, Failures> failures =
      Caffeine.newBuilder().maximumSize(MAX).expireAfterWrite(FORGOTTEN).build();

  /** How many, and when the next try may be made; ms. */
  private record Failures(int count, long next) {}

  private record Kind(String key, int free, long maxMillis) {}

  SignInGuard(Clock clock) {
    this.clock = clock;
  }

  private static Kind[] kinds(String account, String address) {
    var name = account.strip().toLowerCase(Locale.ROOT);
    name = name.length() > 100 ? name.substring(0, 100) : name;
    var network = network(address);
    return new Kind[] {
      new Kind("both " + network + " " + name, 4, 5 * 60_000),
      new Kind("network " + network, 20, 60_000),
      new Kind("account " + name, 10, 5_000)
    };
  }

  /** An IPv4 address, or the /64 of an IPv6 one: what one subscriber has. */
  static String network(String address) {
    var parts = String.valueOf(address).split(":", -1);
    return parts.length < 5 ? address : String.join(":", java.util.Arrays.copyOf(parts, 4)) + "::";
  }

  /** Seconds that a try has to wait, or 0. */
  public long wait(String account, String address) {
    long now = clock.millis();
    long wait = 0;
    for (var kind : kinds(account, address)) {
      var known = failures.getIfPresent(kind.key());
      wait = known == null ? wait : Math.max(wait, known.next() - now);
    }
    return Math.max(0, Math.ceilDiv(wait, 1000));
  }

  public void failed(String account, String address) {
    long now = clock.millis();
    for (var kind : kinds(account, address)) {
      failures
          .asMap()
          .compute(
              kind.key(),
              (k, old) -> {
                int count = old == null ? 1 : old.count() + 1;
                int over = Math.min(20, count - kind.free());
                long wait = over < 0 ? 0 : Math.min(kind.maxMillis(), 1000L << over);
                return new Failures(count, now + wait);
              });
    }
  }

  /** The account is forgiven; the network only ever forgets. */
  public void succeeded(String account, String address) {
    var kinds = kinds(account, address);
    failures.invalidate(kinds[0].key());
    failures.invalidate(kinds[2].key());
  }
}
