package vintrel.core.define;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.stream.Collectors;

/** A difference between two versions of a document as a person would say it. */
final class ChangeWords {
  private static final int SHOWN = 60;

  /** Characters before the first difference of long texts. */
  private static final int CONTEXT = 12;

  /** Lists whose entries have names: an entry is called by its name, the list is not mentioned. */
  private static final Set<String> ENTRIES = Set.of("panels", "sections", "controls");

  private ChangeWords() {}

  /**
   * @param path from the document to what differs
   * @param title of the second step, if the first is a list of entries
   * @param before null if it was added
   * @param after null if it was removed
   */
  static String of(List<String> path, String title, Object before, Object after) {
    boolean entry = path.size() >= 2 && ENTRIES.contains(path.getFirst());
    if (entry && path.size() == 2) {
      var kind = path.getFirst().substring(0, path.getFirst().length() - 1);
      return (after == null ? "deleted " : "added ") + kind + " " + title;
    }
    var about = entry ? title + ": " : "";
    var rest = entry ? path.subList(2, path.size()) : path;
    if (entry && rest.equals(List.of("at")) && before instanceof List<?> b) {
      return about + place(b, after);
    }
    var what = property(rest);
    if (before == null) {
      return about + what + (composed(after) ? " added" : " set to " + shown(after));
    }
    if (after == null) {
      return about + what + (composed(before) ? " removed" : " removed, was " + shown(before));
    }
    return about
        + what
        + (composed(before) || composed(after) ? " changed" : differing(before, after));
  }

  /** Two values; of long ones that begin alike, the parts where they differ. */
  private static String differing(Object before, Object after) {
    var b = line(before);
    var a = line(after);
    int same = 0;
    while (same < Math.min(a.length(), b.length()) && a.charAt(same) == b.charAt(same)) {
      same++;
    }
    int from = Math.max(a.length(), b.length()) <= SHOWN ? 0 : Math.max(0, same - CONTEXT);
    if (from > 0 && Character.isLowSurrogate(b.charAt(from))) {
      from--;
    }
    boolean lists = before instanceof List && after instanceof List;
    var was = cut(part(b, from));
    var is = cut(part(a, from));
    return " " + (lists ? was + " → " + is : quoted(was) + " → " + quoted(is));
  }

  private static String part(String text, int from) {
    return from == 0 ? text : "…" + text.substring(from);
  }

  /** The setting without the words that only say where documents keep it. */
  private static String property(List<String> steps) {
    var out = new ArrayList<>(steps);
    if (out.size() > 1) {
      out.remove("options");
    }
    return String.join(" ", out);
  }

  /** Column, row, width and height on the grid. */
  private static String place(List<?> before, Object now) {
    if (!(now instanceof List<?> after) || before.size() != 4 || after.size() != 4) {
      return "place changed";
    }
    boolean moved = !before.subList(0, 2).equals(after.subList(0, 2));
    boolean sized = !before.subList(2, 4).equals(after.subList(2, 4));
    var size =
        "size %s × %s → %s × %s"
            .formatted(before.get(2), before.get(3), after.get(2), after.get(3));
    return !sized ? "moved" : moved ? "moved, " + size : size;
  }

  private static boolean composed(Object value) {
    return value instanceof Map
        || value instanceof List<?> l && l.stream().anyMatch(ChangeWords::composed);
  }

  private static String line(Object value) {
    return value instanceof List<?> list
        ? list.stream().map(Objects::toString).collect(Collectors.joining(", "))
        : String.valueOf(value).strip().replaceAll("\\s*\n\\s*", " ⏎ ");
  }

  private static String shown(Object value) {
    var text = cut(line(value));
    return value instanceof List<?> ? text : quoted(text);
  }

  private static String quoted(String text) {
    return text.isEmpty() || text.contains(" ") ? "'" + text + "'" : text;
  }

  private static String cut(String text) {
    return text.length() <= SHOWN ? text : text.substring(0, SHOWN) + "…";
  }
}
