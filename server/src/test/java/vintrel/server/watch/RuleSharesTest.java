package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.BitSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.mockito.Mockito;
import vintrel.server.database.Leases;
import vintrel.server.database.SampleOwner;

/** How servers part the rules among themselves. */
class RuleSharesTest {
  private static final SampleOwner TAKES = Mockito.mock(SampleOwner.class);

  static {
    Mockito.when(TAKES.takes()).thenReturn(true);
  }

  /**
   * The leases of a database that servers share, without time: a server that is gone gives back.
   */
  private static final class Table {
    private final Map<String, Object> owners = new HashMap<>();
    private int servers;

    Leases of(Object server) {
      var leases = Mockito.mock(Leases.class);
      Mockito.when(leases.areShared()).thenReturn(true);
      Mockito.when(leases.servers()).thenAnswer(i -> servers);
      Mockito.when(leases.hold(Mockito.anyString()))
          .thenAnswer(i -> owners.computeIfAbsent(i.getArgument(0), k -> server) == server);
      Mockito.doAnswer(i -> owners.remove(i.<String>getArgument(0), server))
          .when(leases)
          .giveBack(Mockito.anyString());
      return leases;
    }

    void end(Object server) {
      owners.values().removeIf(o -> o == server);
      servers--;
    }
  }

  private static RuleShares shares(Leases leases) {
    return new RuleShares(leases, TAKES);
  }

  private static int size(RuleShares shares) {
    return (int) IntStream.range(0, RuleShares.COUNT).filter(shares::holds).count();
  }

  /** Enough looks for everything to settle; one looks every two seconds at most. */
  private static void look(List<RuleShares> all) {
    for (int round = 0; round < 4; round++) {
      for (var one : all) {
        one.again();
        one.look();
        for (var two : all) {
          for (int i = 0; i < RuleShares.COUNT; i++) {
            assertThat(one != two && one.holds(i) && two.holds(i)).as("share " + i).isFalse();
          }
        }
      }
    }
  }

  @Test
  void eachShareIsCheckedByOneServerAndServersHaveAboutAsMany() {
    var table = new Table();
    table.servers = 1;
    var a = shares(table.of("a"));
    assertThat(a.any()).as("before the first look").isFalse();
    look(List.of(a));
    assertThat(size(a)).isEqualTo(12);
    table.servers = 2;
    var b = shares(table.of("b"));
    look(List.of(a, b));
    assertThat(size(a)).isEqualTo(6);
    assertThat(size(b)).isEqualTo(6);
    table.servers = 3;
    var c = shares(table.of("c"));
    look(List.of(a, b, c));
    assertThat(List.of(size(a), size(b), size(c))).containsOnly(4);
    table.end("a");
    look(List.of(b, c));
    assertThat(List.of(size(b), size(c))).containsOnly(6);
    table.end("b");
    look(List.of(c));
    assertThat(size(c)).isEqualTo(12);
  }

  @Test
  void aServerThatTakesNoSamplesChecksNoRules() {
    var table = new Table();
    table.servers = 1;
    var owner = Mockito.mock(SampleOwner.class);
    Mockito.when(owner.takes()).thenReturn(true);
    var a = new RuleShares(table.of("a"), owner);
    look(List.of(a));
    assertThat(size(a)).isEqualTo(12);
    Mockito.when(owner.takes()).thenReturn(false);
    assertThat(a.look().cardinality()).isEqualTo(12);
    assertThat(a.any()).isFalse();
    assertThat(table.owners).as("given back").isEmpty();
    look(List.of(a));
    assertThat(a.any()).isFalse();
  }

  @Test
  void whatMovedIsSaidOnce() {
    var table = new Table();
    table.servers = 1;
    var a = shares(table.of("a"));
    assertThat(a.look().cardinality()).isEqualTo(12);
    assertThat(a.look()).isEqualTo(new BitSet());
    table.owners.put(RuleShares.JOBS.get(3), "b");
    var moved = a.look();
    assertThat(moved.cardinality()).isEqualTo(1);
    assertThat(moved.get(3)).isTrue();
    assertThat(a.look()).isEqualTo(new BitSet());
  }

  @Test
  void rulesAreSpreadOverTheShares() {
    var counts = new int[RuleShares.COUNT];
    for (int i = 0; i < 12_000; i++) {
      counts[RuleShares.of("queue-long-" + i)]++;
    }
    for (int n : counts) {
      assertThat(n).isBetween(700, 1_300);
    }
  }
}
