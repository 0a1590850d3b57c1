package vintrel.server.define;

import com.github.difflib.DiffUtils;
import com.github.difflib.algorithm.myers.MyersDiffWithLinearSpace;
import com.github.difflib.patch.AbstractDelta;
import com.github.difflib.patch.DeltaType;
import java.util.ArrayList;
import java.util.List;
import vintrel.core.define.Changes;

/**
 * Two versions of a definition side by side.
 *
 * @param words what changed
 * @param lines the texts as one, with the lines around what changed; none if they are too long
 */
public record Comparison(int from, int to, List<String> words, List<Line> lines) {
  /** So many lines before and after a change are shown. */
  private static final int AROUND = 3;

  /** Lines of both texts together; the time grows with their square. */
  private static final int MAX_LINES = 6_000;

  /** What became of a line. */
  public enum What {
    KEPT,
    REMOVED,
    ADDED,
    /** Lines that are kept on both sides are left out here. */
    LEFT_OUT
  }

  /** A line of text without its end. */
  public record Line(What what, String text) {
    /** As it stands before the line. */
    public String sign() {
      return switch (what) {
        case REMOVED -> "−";
        case ADDED -> "+";
        case KEPT, LEFT_OUT -> " ";
      };
    }
  }

  /**
   * @param from a version that has a text; 0: none is asked for
   * @return null if one of the two has no text
   */
  static Comparison of(List<Revision> revisions, int from, int to) {
    var before = text(revisions, from);
    var after = text(revisions, to);
    return before == null || after == null
        ? null
        : new Comparison(
            from,
            to,
            Changes.between(before, after).stream().map(Changes.Change::words).toList(),
            lines(before.lines().toList(), after.lines().toList()));
  }

  private static String text(List<Revision> revisions, int version) {
    return revisions.stream()
        .filter(r -> r.version() == version && !r.deleted())
        .map(Revision::text)
        .findFirst()
        .orElse(null);
  }

  private static List<Line> lines(List<String> before, List<String> after) {
    var out = new ArrayList<Line>();
    if (before.size() + after.size() > MAX_LINES) {
      return out;
    }
    // The library's usual way needs memory that grows with the square too.
    var way = new MyersDiffWithLinearSpace<String>();
    var deltas = DiffUtils.diff(before, after, way, null, true).getDeltas();
    for (int i = 0; i < deltas.size(); i++) {
      var delta = deltas.get(i);
      if (delta.getType() == DeltaType.EQUAL) {
        around(delta, i > 0, i + 1 < deltas.size(), out);
      } else {
        delta.getSource().getLines().forEach(l -> out.add(new Line(What.REMOVED, l)));
        delta.getTarget().getLines().forEach(l -> out.add(new Line(What.ADDED, l)));
      }
    }
    return out;
  }

  private static void around(
      AbstractDelta<String> kept, boolean after, boolean before, List<Line> out) {
    var lines = kept.getSource().getLines();
    int head = after ? Math.min(AROUND, lines.size()) : 0;
    int tail = before ? Math.max(head, lines.size() - AROUND) : lines.size();
    for (int i = 0; i < lines.size(); i++) {
      if (i < head || i >= tail) {
        out.add(new Line(What.KEPT, lines.get(i)));
      } else if (i == head) {
        out.add(new Line(What.LEFT_OUT, ""));
      }
    }
  }
}
