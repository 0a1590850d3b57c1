package vintrel.core.event;

import java.util.List;
import java.util.regex.Pattern;
import vintrel.core.frame.JsonPath;
import vintrel.core.series.Condition;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;

/**
 * A condition on records, ready for many of them. A name in it is the level, the text, else a
 * label, else a field by its path; what is empty counts as absent.
 *
 * <p>A block has few sets of labels and seven levels: the condition is judged once for each pair in
 * three values (Kleene): it holds, it does not, or it hangs on the text or a field. Only records of
 * the last kind are unpacked. Any thread.
 */
public final class RecordFilter {
  private static final int LEVELS = Event.LEVELS.size() + 1;

  /** A quoted pattern whatever its case, as a search for words makes it. */
  private static final String ANY_CASE = "(?i)";

  private static final Pattern PLAIN = Pattern.compile("[A-Za-z0-9_-]+");

  private enum Verdict {
    NO,
    PERHAPS,
    YES
  }

  private final Condition where;

  /**
   * @param where its controls bound
   */
  public RecordFilter(Condition where) {
    this.where = where;
  }

  /** Which levels may pass at all: the bits of their codes. */
  public int levels() {
    int out = 0;
    for (int level = 0; level < LEVELS; level++) {
      if (judge(where, level, null) != Verdict.NO) {
        out |= 1 << level;
      }
    }
    return out;
  }

  /** The places of the records within [from, to) that pass, rising. */
  public int[] pass(Records records, long from, long to) {
    var sets = records.labelSets();
    var known = new Verdict[sets.size() * LEVELS];
    var out = new int[records.count()];
    int n = 0;
    for (int i = 0; i < out.length; i++) {
      long time = records.time(i);
      if (time < from || time >= to) {
        continue;
      }
      int labels = records.labels(i);
      int level = records.level(i);
      int key = labels * LEVELS + level;
      if (known[key] == null) {
        known[key] = judge(where, level, sets.get(labels));
      }
      var verdict = known[key];
      if (verdict == Verdict.YES
          || verdict == Verdict.PERHAPS && holds(where, records, i, sets.get(labels))) {
        out[n++] = i;
      }
    }
    return java.util.Arrays.copyOf(out, n);
  }

  /** What level and labels alone decide; null labels: not known. */
  private static Verdict judge(Condition c, int level, Labels labels) {
    return switch (c) {
      case Condition.And and -> {
        var out = Verdict.YES;
        for (var p : and.parts()) {
          var v = judge(p, level, labels);
          out = v.compareTo(out) < 0 ? v : out;
        }
        yield out;
      }
      case Condition.Or or -> {
        var out = Verdict.NO;
        for (var p : or.parts()) {
          var v = judge(p, level, labels);
          out = v.compareTo(out) > 0 ? v : out;
        }
        yield out;
      }
      case Condition.Not not ->
          switch (judge(not.part(), level, labels)) {
            case YES -> Verdict.NO;
            case NO -> Verdict.YES;
            case PERHAPS -> Verdict.PERHAPS;
          };
      case Condition.Test t -> {
        if (t.label().equals("level")) {
          yield t.accepts(level == 0 ? null : Records.name(level)) ? Verdict.YES : Verdict.NO;
        }
        var value = t.label().equals("text") || labels == null ? null : labels.get(t.label());
        yield value == null
            ? Verdict.PERHAPS
            : t.accepts(value.isEmpty() ? null : value) ? Verdict.YES : Verdict.NO;
      }
    };
  }

  private static boolean holds(Condition c, Records records, int i, Labels labels) {
    return switch (c) {
      case Condition.And and -> {
        for (var p : and.parts()) {
          if (!holds(p, records, i, labels)) {
            yield false;
          }
        }
        yield true;
      }
      case Condition.Or or -> {
        for (var p : or.parts()) {
          if (holds(p, records, i, labels)) {
            yield true;
          }
        }
        yield false;
      }
      case Condition.Not not -> !holds(not.part(), records, i, labels);
      case Condition.Test t -> holds(t, records, i, labels);
    };
  }

  private static boolean holds(Condition.Test t, Records records, int i, Labels labels) {
    return switch (t.label()) {
      case "level" -> t.accepts(records.level(i) == 0 ? null : Records.name(records.level(i)));
      case "text" -> words(t, records.text(i));
      default -> {
        var label = labels.get(t.label());
        if (label != null) {
          yield t.accepts(label.isEmpty() ? null : label);
        }
        yield field(t, records.fields(i));
      }
    };
  }

  private static boolean words(Condition.Test t, String text) {
    if (t.operator() == Condition.Operator.MATCHES && t.values().size() == 1) {
      var literal = literal(t.values().getFirst().text());
      if (literal != null && ascii(text)) {
        return holdsWords(text, literal);
      }
    }
    return t.accepts(text.isEmpty() ? null : text);
  }

  /** Skips parsing if the field's name does not occur in the JSON. */
  private static boolean field(Condition.Test t, String json) {
    boolean equal =
        t.operator() == Condition.Operator.EQUAL || t.operator() == Condition.Operator.IN;
    if (equal) {
      boolean somewhere = false;
      for (var v : t.values()) {
        somewhere |= !PLAIN.matcher(v.text()).matches() || json.contains(v.text());
      }
      if (!somewhere) {
        return false;
      }
    }
    var found = JsonPath.find(json, List.of(t.label().split("\\.")));
    return t.accepts(found == null || found.text().isEmpty() ? null : found.text());
  }

  /** The words that a pattern looks for whatever their case, in small letters; null for others. */
  private static String literal(String pattern) {
    if (!pattern.startsWith(ANY_CASE)) {
      return null;
    }
    var out = new StringBuilder();
    for (int i = ANY_CASE.length(); i < pattern.length(); i++) {
      char c = pattern.charAt(i);
      boolean escaped = c == '\\' && i + 1 < pattern.length();
      char next = escaped ? pattern.charAt(++i) : c;
      boolean word = Character.isLetterOrDigit(next) || next == '_';
      boolean plain = word || next == ' ' || next == '-' || next == ':' || next == ',';
      // An escaped letter is a class of characters, an unescaped sign may mean anything.
      if (next > 127 || escaped && word || !escaped && !plain) {
        return null;
      }
      out.append(Character.toLowerCase(next));
    }
    return out.toString();
  }

  private static boolean ascii(String text) {
    for (int i = 0; i < text.length(); i++) {
      if (text.charAt(i) > 127) {
        return false;
      }
    }
    return true;
  }

  private static boolean holdsWords(String text, String small) {
    int last = text.length() - small.length();
    for (int i = 0; i <= last; i++) {
      if (text.regionMatches(true, i, small, 0, small.length())) {
        return true;
      }
    }
    return false;
  }
}
