package vintrel.core.query.assist;

import com.fasterxml.jackson.annotation.JsonProperty;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.PriorityQueue;
import java.util.regex.Pattern;
import vintrel.core.index.Catalog;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Lexer;
import vintrel.core.query.syntax.Lexer.Kind;
import vintrel.core.query.syntax.Lexer.Token;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.SourceSpan;
import vintrel.core.query.syntax.TokenReader;
import vintrel.core.query.syntax.Vocabulary;
import vintrel.core.series.Condition;

/**
 * Proposes what can be typed at the cursor. It looks at the tokens before the cursor alone, so that
 * it helps while the query is not complete or has an error in another place; a word that nothing
 * begins with is matched inside words and then by its nearest neighbours. Any thread.
 */
public final class Completer {
  private static final int MAX = 60;

  /** Values of a label that are looked through. */
  private static final int MOST_VALUES = 50_000;

  private static final Pattern WORD = Pattern.compile("[\\p{L}_][\\p{L}\\p{Nd}_.]*$");

  private final Catalog index;
  private final Elsewhere elsewhere;

  public Completer(Catalog index, Elsewhere elsewhere) {
    this.index = index;
    this.elsewhere = elsewhere;
  }

  /** What is known of the metrics of other Vintrels; calls return quickly. */
  public interface Elsewhere {
    /** There is no other. */
    Elsewhere NOWHERE = new Elsewhere() {};

    /** The names of the stores. */
    default Collection<String> stores() {
      return List.of();
    }

    /** Names of its metrics. */
    default Collection<String> metrics(String store) {
      return List.of();
    }

    /** Names of the labels of a metric. */
    default Collection<String> labels(String store, String metric) {
      return List.of();
    }

    /** Values of a label of a metric. */
    default Collection<String> values(String store, String metric, String label) {
      return List.of();
    }
  }

  /**
   * @param from where the replaced part begins
   * @param options best first
   */
  public record Completion(int from, List<Option> options) {}

  /**
   * @param text put in place of what is there
   * @param kind metric, source (a metric with its store), line, label, value, step, store or
   *     keyword
   * @param detail a few words beside it
   */
  public record Option(String text, String kind, String detail) {
    /** How it is written in a query: names with odd characters in quotes. */
    @JsonProperty
    public String written() {
      return switch (kind) {
        case "metric" -> Printer.metric(text);
        case "label" -> Printer.name(text);
        default -> text;
      };
    }
  }

  /** Proposals at an offset of a text. */
  public Completion at(String text, int offset) {
    var before = text.substring(0, Math.clamp(offset, 0, text.length()));
    int quote = openText(before);
    if (quote >= 0) {
      return values(before.substring(0, quote), before.substring(quote + 1), quote + 1);
    }
    var m = WORD.matcher(before);
    var word = m.find() ? m.group() : "";
    int from = before.length() - word.length();
    var lead = tokens(before.substring(0, from));
    return new Completion(from, options(lead, word));
  }

  /** The place of a quote that is not closed before the cursor, or -1. */
  private static int openText(String before) {
    int open = -1;
    for (int i = 0; i < before.length(); i++) {
      if (before.charAt(i) == '\'') {
        open = open < 0 ? i : -1;
      }
    }
    return open;
  }

  private static List<Token> tokens(String text) {
    try {
      var all = Lexer.tokens(text);
      return all.subList(0, all.size() - 1);
    } catch (QueryException e) {
      // A mistake earlier: the text after the last line's name or step is enough.
      int cut = Math.max(text.lastIndexOf('\n'), text.lastIndexOf("then "));
      return cut <= 0 ? List.of() : tokens(text.substring(cut));
    }
  }

  private Completion values(String lead, String typed, int from) {
    var tokens = tokens(lead);
    String label = null;
    for (int i = tokens.size() - 1; i >= 0 && label == null; i--) {
      var t = tokens.get(i);
      boolean name = t.kind() == Kind.WORD || t.kind() == Kind.QUOTED;
      if (name && !TokenReader.KEYWORDS.contains(t.text())) {
        label = t.text();
      }
    }
    if (label == null) {
      return new Completion(from, List.of());
    }
    return new Completion(from, best(values(label, source(tokens)), typed, "value", ""));
  }

  private Collection<String> values(String label, Named source) {
    if (source != null && elsewhere.stores().contains(source.store())) {
      return elsewhere.values(source.store(), source.metric(), label);
    }
    return index.someLabelValues(label, known(source), MOST_VALUES);
  }

  /** The metric if it is here, else null. */
  private String known(Named source) {
    return source != null && index.hasMetric("", source.metric()) ? source.metric() : null;
  }

  /** A metric and the store named with it, or empty. */
  private record Named(String metric, String store) {}

  /** The metric of the line that the tokens end in, or null. */
  private static Named source(List<Token> tokens) {
    for (int i = tokens.size() - 1; i >= 0; i--) {
      var t = tokens.get(i);
      boolean name = t.kind() == Kind.WORD || t.kind() == Kind.QUOTED;
      boolean begins =
          i == 0
              || tokens.get(i - 1).is(":")
              || tokens.get(i - 1).is("(")
              || "+-*/%^<>=".contains(tokens.get(i - 1).text())
                  && tokens.get(i - 1).kind() == Kind.SYMBOL;
      if (name && begins && !TokenReader.KEYWORDS.contains(t.text())) {
        boolean placed = i + 2 < tokens.size() && tokens.get(i + 1).is("in");
        return new Named(t.text(), placed ? tokens.get(i + 2).text() : "");
      }
    }
    return null;
  }

  private List<Option> options(List<Token> lead, String word) {
    if (lead.isEmpty()) {
      return sources(lead, word);
    }
    var last = lead.getLast();
    if (last.is("then") || last.is("off")) {
      return steps(word);
    }
    boolean listing = last.is(",") && inLabels(lead);
    if (last.is("where")
        || last.is("and")
        || last.is("or")
        || last.is("not")
        || last.is("by")
        || last.is("without")
        || last.is("on")
        || listing) {
      return labels(lead, word);
    }
    if (last.is("in")) {
      var stores = new ArrayList<>(index.stores());
      stores.addAll(elsewhere.stores());
      return best(stores, word, "store", "");
    }
    if (last.kind() == Kind.SYMBOL && !last.is(")")) {
      return sources(lead, word);
    }
    var out = new ArrayList<Option>();
    out.addAll(
        best(
            List.of(
                "then", "where", "by", "without", "every", "over", "and", "or", "on", "missing"),
            word,
            "keyword",
            ""));
    if (lead.size() >= 2 && !word.isEmpty()) {
      out.addAll(labels(lead, word));
    }
    return out;
  }

  /** Whether the last comma is in a list of labels. */
  private static boolean inLabels(List<Token> lead) {
    for (int i = lead.size() - 1; i >= 0; i--) {
      var t = lead.get(i);
      if (t.is("by") || t.is("without") || t.is("on") || t.is("keep") || t.is("drop")) {
        return true;
      }
      if (t.is("then") || t.is("where") || t.is(":")) {
        return false;
      }
    }
    return false;
  }

  private List<Option> sources(List<Token> lead, String word) {
    var out = new ArrayList<Option>();
    var lines = new ArrayList<String>();
    for (int i = 1; i < lead.size(); i++) {
      if (lead.get(i).is(":")) {
        lines.add(lead.get(i - 1).text());
      }
    }
    if (!word.isEmpty() || !lines.isEmpty()) {
      out.addAll(best(lines, word, "line", "line"));
    }
    out.addAll(best(index.metricNames(""), word, "metric", ""));
    for (var store : elsewhere.stores()) {
      for (var o : best(elsewhere.metrics(store), word, "metric", "in " + store)) {
        out.add(new Option(asked(o.text(), store), "source", o.detail()));
      }
    }
    out.addAll(best(List.of("events", "sql"), word, "keyword", "source"));
    return out;
  }

  /** The query text for a metric of another server. */
  private static String asked(String metric, String store) {
    return Printer.print(new Expr.Source(metric, store, Condition.ALL, SourceSpan.NONE));
  }

  private List<Option> labels(List<Token> lead, String word) {
    var source = source(lead);
    if (source != null && elsewhere.stores().contains(source.store())) {
      var there = elsewhere.labels(source.store(), source.metric());
      return best(there, word, "label", source.metric());
    }
    var known = known(source);
    return best(index.labelNames("", known), word, "label", known == null ? "" : known);
  }

  private static List<Option> steps(String word) {
    var words = Vocabulary.STEPS.stream().map(Vocabulary.Entry::word).toList();
    return best(words, word, "step", "").stream()
        .map(
            o ->
                new Option(
                    o.text(),
                    "step",
                    Vocabulary.STEPS.stream()
                        .filter(e -> e.word().equals(o.text()))
                        .findFirst()
                        .orElseThrow()
                        .does()))
        .toList();
  }

  private record Hit(String text, int rank) {
    static final Comparator<Hit> BEST = Comparator.comparingInt(Hit::rank).thenComparing(Hit::text);
  }

  /** Those that begin with the word, then those that hold it, then, if none does, the nearest. */
  private static List<Option> best(
      Collection<String> all, String typed, String kind, String detail) {
    var word = typed.toLowerCase(Locale.ROOT);
    // The worst of the best so far is at the head.
    var hits = new PriorityQueue<>(Hit.BEST.reversed());
    for (var a : all) {
      int at = a.toLowerCase(Locale.ROOT).indexOf(word);
      if (at >= 0) {
        keep(hits, new Hit(a, at == 0 ? 0 : 1));
      }
    }
    if (hits.isEmpty() && word.length() > 2) {
      var near = new NearWords(word, Math.max(1, word.length() / 3));
      for (var a : all) {
        int d = near.distance(a);
        if (d != NearWords.FAR) {
          keep(hits, new Hit(a, 2 + d));
        }
      }
    }
    return hits.stream().sorted(Hit.BEST).map(h -> new Option(h.text(), kind, detail)).toList();
  }

  private static void keep(PriorityQueue<Hit> hits, Hit hit) {
    if (hits.size() < MAX) {
      hits.add(hit);
    } else if (Hit.BEST.compare(hit, hits.peek()) < 0) {
      hits.poll();
      hits.add(hit);
    }
  }
}
