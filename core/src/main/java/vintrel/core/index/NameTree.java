package vintrel.core.index;

import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.TreeMap;
import java.util.function.Function;

/**
 * Things with dotted names as a tree. A branch that would hold one thing alone is left out: the
 * thing stands in the branch above with the rest of its name. A branch that would hold one branch
 * alone is one with it. So every branch is a choice.
 */
public final class NameTree {
  private NameTree() {}

  /**
   * @param name what it adds to the branch above: {@code network.io}
   * @param count of the things in it and below
   * @param branches by name
   * @param leaves by name
   */
  public record Branch<T>(String name, int count, List<Branch<T>> branches, List<Leaf<T>> leaves) {}

  /**
   * @param rest of its name below the branch
   */
  public record Leaf<T>(String rest, T of) {}

  /** The root of the tree, whose own name is empty. */
  public static <T> Branch<T> of(Collection<T> things, Function<T, String> name) {
    return branch("", things.stream().map(t -> new Leaf<>(name.apply(t), t)).toList());
  }

  private static <T> Branch<T> branch(String name, List<Leaf<T>> leaves) {
    var parts = new TreeMap<String, List<Leaf<T>>>();
    var out = new Branch<T>(name, leaves.size(), new ArrayList<>(), new ArrayList<>());
    for (var leaf : leaves) {
      parts.computeIfAbsent(first(leaf.rest()), k -> new ArrayList<>()).add(leaf);
    }
    parts.forEach(
        (part, within) -> {
          if (within.size() == 1) {
            out.leaves().add(within.getFirst());
            return;
          }
          // A metric may be called as the branch is that others lie in: it stands beside it.
          within.stream().filter(l -> l.rest().equals(part)).forEach(out.leaves()::add);
          var below = within.stream().filter(l -> !l.rest().equals(part)).toList();
          if (below.size() == 1) {
            out.leaves().add(below.getFirst());
          } else if (!below.isEmpty()) {
            out.branches().add(joined(branch(part, cut(below, part))));
          }
        });
    out.leaves().sort(java.util.Comparator.comparing(Leaf::rest));
    return out;
  }

  private static <T> List<Leaf<T>> cut(List<Leaf<T>> leaves, String part) {
    return leaves.stream()
        .map(l -> new Leaf<>(l.rest().substring(part.length() + 1), l.of()))
        .toList();
  }

  private static <T> Branch<T> joined(Branch<T> b) {
    if (b.branches().size() != 1 || !b.leaves().isEmpty()) {
      return b;
    }
    var only = b.branches().getFirst();
    return new Branch<>(b.name() + "." + only.name(), only.count(), only.branches(), only.leaves());
  }

  private static String first(String name) {
    int dot = name.indexOf('.');
    return dot <= 0 || dot == name.length() - 1 ? name : name.substring(0, dot);
  }
}
