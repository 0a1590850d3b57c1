package vintrel.core.query.syntax;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import vintrel.core.query.syntax.Lexer.Kind;
import vintrel.core.query.syntax.Lexer.Token;

/** Tokens with a place, and errors that say what was expected there. */
public final class TokenReader {
  public static final Set<String> KEYWORDS =
      Set.of(
          "then", "where", "in", "and", "or", "not", "like", "matches", "exists", "on", "by",
          "without");

  private final String text;
  private final List<Token> tokens;
  private int at;

  /** Characters of a query. */
  static final int MAX_LENGTH = 100_000;

  TokenReader(String text) {
    if (text.length() > MAX_LENGTH) {
      throw new QueryException(
          "limit.length",
          "the query has %,d characters; the limit is %,d".formatted(text.length(), MAX_LENGTH),
          0,
          0);
    }
    this.text = text;
    this.tokens = Lexer.tokens(text);
  }

  String text() {
    return text;
  }

  Token peek() {
    return tokens.get(at);
  }

  Token peek(int further) {
    return tokens.get(Math.min(at + further, tokens.size() - 1));
  }

  Token take() {
    return tokens.get(at == tokens.size() - 1 ? at : at++);
  }

  void back() {
    at--;
  }

  /** The span of the token just taken. */
  SourceSpan before() {
    return at == 0 ? SourceSpan.NONE : tokens.get(at - 1).span();
  }

  boolean accept(String symbolOrWord) {
    if (peek().is(symbolOrWord)) {
      take();
      return true;
    }
    return false;
  }

  void expect(String symbolOrWord) {
    if (!accept(symbolOrWord)) {
      throw unexpected("'" + symbolOrWord + "'");
    }
  }

  void expectEnd() {
    if (peek().kind() != Kind.END) {
      throw unexpected("the end");
    }
  }

  /** A bare or quoted name that is not a keyword. */
  Token name(String what) {
    var t = peek();
    boolean bare = t.kind() == Kind.WORD && !KEYWORDS.contains(t.text());
    if (!bare && t.kind() != Kind.QUOTED) {
      throw unexpected(what);
    }
    return take();
  }

  /** Names with commas between; in parentheses, or bare. */
  List<String> labels(boolean parentheses) {
    if (parentheses) {
      expect("(");
    }
    var out = new ArrayList<String>();
    do {
      out.add(name("a label's name").text());
    } while (accept(","));
    if (parentheses) {
      expect(")");
    }
    return out;
  }

  double number() {
    boolean negative = accept("-");
    if (peek().kind() != Kind.NUMBER) {
      throw unexpected("a number");
    }
    double v = take().number();
    return negative ? -v : v;
  }

  /** A duration above zero, in ms. */
  long duration() {
    var t = peek();
    if (t.kind() != Kind.DURATION) {
      throw unexpected("a duration such as 30s, 5m, 2h, 1d");
    }
    if (t.number() <= 0) {
      throw error("the duration must be greater than 0", t.span());
    }
    return (long) take().number();
  }

  String text(String what) {
    if (peek().kind() != Kind.TEXT) {
      throw unexpected(what + " in single quotes");
    }
    return take().text();
  }

  QueryException unexpected(String wanted) {
    var t = peek();
    var got =
        switch (t.kind()) {
          case END -> "the query ended";
          case TEXT -> "found the text '" + t.text() + "'";
          default -> "found '" + t.text() + "'";
        };
    return error("expected " + wanted + ", but " + got, t.span());
  }

  QueryException error(String message, SourceSpan where) {
    return QueryException.at("syntax", message, text, where.start());
  }
}
