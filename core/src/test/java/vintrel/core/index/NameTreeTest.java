package vintrel.core.index;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.function.Function;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

class NameTreeTest {
  private static String text(NameTree.Branch<String> b) {
    var parts = new ArrayList<String>();
    b.branches().forEach(x -> parts.add(x.name() + x.count() + "[" + text(x) + "]"));
    b.leaves().forEach(x -> parts.add(x.rest()));
    return String.join(" ", parts);
  }

  private static String tree(String... names) {
    return text(NameTree.of(List.of(names), Function.identity()));
  }

  @Test
  void partsOfNamesBecomeBranchesWithCounts() {
    assertThat(tree("host.cpu.usage", "host.cpu.load", "host.disk.used", "host.disk.free"))
        .isEqualTo("host4[cpu2[load usage] disk2[free used]]");
  }

  @Test
  void aBranchWithoutAChoiceIsLeftOut() {
    assertThat(tree("queue.length", "scan.gate.a", "scan.gate.b"))
        .isEqualTo("scan.gate2[a b] queue.length");
    assertThat(tree("a.b.c", "a.d", "a.e")).isEqualTo("a3[b.c d e]");
  }

  @Test
  void aMetricMayBeCalledAsABranchIs() {
    assertThat(tree("scan", "scan.a", "scan.b")).isEqualTo("scan2[a b] scan");
    assertThat(tree("scan", "scan.a")).isEqualTo("scan scan.a");
  }

  @Test
  void oddDotsAreNoParts() {
    assertThat(tree(".a", "b.", "", "..", "c")).isEqualTo(" .. .a b. c");
  }

  @Test
  void everythingIsInTheTreeOnceAndCountsAreTrue() {
    var random = new Random(7);
    var names =
        IntStream.range(0, 400)
            .mapToObj(
                i ->
                    random
                        .ints(1 + random.nextInt(5), 0, 4)
                        .mapToObj(x -> "abcd".substring(x, x + 1))
                        .reduce((a, b) -> a + "." + b)
                        .orElseThrow())
            .distinct()
            .toList();
    var found = new ArrayList<String>();
    walk(NameTree.of(names, Function.identity()), "", found);
    assertThat(found).containsExactlyInAnyOrderElementsOf(names);
  }

  private static int walk(NameTree.Branch<String> b, String path, List<String> found) {
    int count = b.leaves().size();
    for (var l : b.leaves()) {
      assertThat(path + l.rest()).isEqualTo(l.of());
      found.add(l.of());
    }
    for (var x : b.branches()) {
      assertThat(x.branches().size() + x.leaves().size()).as("a choice").isGreaterThan(1);
      count += walk(x, path + x.name() + ".", found);
    }
    assertThat(b.count()).isEqualTo(count);
    return count;
  }
}
