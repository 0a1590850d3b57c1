package vintrel.server.web;

import jakarta.annotation.PreDestroy;
import java.util.function.Supplier;
import org.springframework.stereotype.Component;

/**
 * The pools of threads for what computes. Ingest, health and deliveries run outside of them, rules
 * in one of their own: no question and no sign-in can take their processors away. Any thread.
 */
@Component
public class Pools {
  /** Bytes of a body that take some milliseconds to read. */
  private static final int LARGE = 250_000;

  private static final int CORES = Runtime.getRuntime().availableProcessors();

  private final Turns queries;
  private final Turns rules;
  private final Turns passwords;
  private final Turns bodies;

  Pools(Settings settings) {
    var q = settings.query();
    // More threads than processors: a caller with many requests gets as many as there are
    // processors, and
    // others still find one at once.
    int atOnce = Math.max(2, CORES);
    this.queries =
        new Turns("queries", 4 * atOnce, atOnce, q.maxWaiting(), q.maxPerCaller(), q.waitMillis());
    // Each rule waits in its own turn until it is checked.
    this.rules = new Turns("checks of rules", 4, 1, 100_000, 10, 3_600_000);
    this.bodies = new Turns("large bodies", atOnce, Math.max(1, atOnce / 2), 200, 50, 20_000);
    this.passwords = new Turns("sign-ins", Math.max(1, CORES / 2), 1, 40, 4, 5_000);
  }

  /** Questions of people and programs. */
  public Turns queries() {
    return queries;
  }

  public Turns rules() {
    return rules;
  }

  /** Hashing of passwords, which is slow on purpose. */
  public Turns passwords() {
    return passwords;
  }

  /**
   * Reads a body: a large one in turn with others that are large, so that small ones are read at
   * once beside them.
   */
  public <T> T read(long bytes, Supplier<T> work) {
    return bytes < LARGE ? work.get() : bodies.run(CurrentUser.name(), work);
  }

  @PreDestroy
  void close() {
    bodies.close();
    queries.close();
    rules.close();
    passwords.close();
  }
}
