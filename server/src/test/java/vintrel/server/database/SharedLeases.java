package vintrel.server.database;

import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.spy;

import java.time.Clock;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;
import vintrel.server.web.Duties;

/** Leases as on a database that servers share, and some that another server can be said to hold. */
public final class SharedLeases extends Leases {
  /** Jobs that another server holds. */
  public static final Set<String> ELSEWHERE = ConcurrentHashMap.newKeySet();

  private static final Map<String, AtomicInteger> REFUSED = new ConcurrentHashMap<>();

  private SharedLeases(Database database, Clock clock, String owner) {
    super(database, clock, owner);
  }

  public static SharedLeases of(Database database, Clock clock, String owner) {
    var shared = spy(database);
    doReturn(false).when(shared).isFile();
    return new SharedLeases(shared, clock, owner);
  }

  public static Loops loops(Duties duties, Leases leases) {
    return new Loops(duties, leases);
  }

  @Override
  public boolean hold(String job) {
    if (ELSEWHERE.contains(job)) {
      REFUSED.computeIfAbsent(job, k -> new AtomicInteger()).incrementAndGet();
      return false;
    }
    return super.hold(job);
  }

  /** How often a job was refused since another server holds it. */
  public static int asked(String job) {
    var n = REFUSED.get(job);
    return n == null ? 0 : n.get();
  }

  /** The server stops. */
  public void end() {
    release();
  }
}
