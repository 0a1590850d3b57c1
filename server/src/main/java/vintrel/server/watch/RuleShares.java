package vintrel.server.watch;

import java.util.BitSet;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.stream.IntStream;
import org.springframework.stereotype.Component;
import vintrel.server.database.Leases;
import vintrel.server.database.SampleOwner;

/**
 * Which rules this server checks. They are parted into twelve shares by their names, each with a
 * lease. Servers that take samples have about as many shares each: one that has too many gives some
 * back, one that has too few takes what is free; a server that takes none has none. Where one
 * server has the database alone, it has all of them. One thread looks; any thread asks.
 */
@Component
class RuleShares {
  static final int COUNT = 12;

  /** The jobs of all shares. */
  static final List<String> JOBS = IntStream.range(0, COUNT).mapToObj(i -> "rules " + i).toList();

  /** Between two attempts to take a share, and two counts of the servers. */
  private static final long LOOK_NS = TimeUnit.SECONDS.toNanos(2);

  private final Leases leases;
  private final SampleOwner owner;
  private final BitSet mine = new BitSet(COUNT);
  private volatile BitSet held;
  private long lookedAt;
  private int fair = COUNT;

  RuleShares(Leases leases, SampleOwner owner) {
    this.leases = leases;
    this.owner = owner;
    mine.set(0, leases.areShared() ? 0 : COUNT);
    held = (BitSet) mine.clone();
    again();
  }

  /** The share of a rule. */
  static int of(String rule) {
    return Math.floorMod(rule.hashCode() * 0x9E3779B9 >>> 8, COUNT);
  }

  /** Whether this server checks a rule. */
  boolean has(String rule) {
    return held.get(of(rule));
  }

  /** Whether this server has a share. */
  boolean holds(int share) {
    return held.get(share);
  }

  /** Whether it checks any. */
  boolean any() {
    return !held.isEmpty();
  }

  /** The next look counts the servers. */
  void again() {
    lookedAt = System.nanoTime() - LOOK_NS;
  }

  /**
   * Renews what is held, gives back what is too much and takes what is missing.
   *
   * @return the shares that came or went since the last time
   */
  BitSet look() {
    if (!leases.areShared()) {
      return new BitSet();
    }
    var before = (BitSet) mine.clone();
    if (!owner.takes()) {
      // It would miss the newest samples.
      mine.clear();
      held = (BitSet) mine.clone();
      before.stream().forEach(i -> leases.giveBack(JOBS.get(i)));
      return before;
    }
    for (int i = mine.nextSetBit(0); i >= 0; i = mine.nextSetBit(i + 1)) {
      mine.set(i, leases.hold(JOBS.get(i)));
    }
    long now = System.nanoTime();
    if (now - lookedAt >= LOOK_NS) {
      lookedAt = now;
      fair = Math.ceilDiv(COUNT, leases.servers());
      for (int i = 0; i < COUNT && mine.cardinality() < fair; i++) {
        mine.set(i, mine.get(i) || leases.hold(JOBS.get(i)));
      }
      while (mine.cardinality() > fair) {
        int i = mine.length() - 1;
        mine.clear(i);
        held = (BitSet) mine.clone();
        leases.giveBack(JOBS.get(i));
      }
    }
    held = (BitSet) mine.clone();
    before.xor(mine);
    return before;
  }
}
