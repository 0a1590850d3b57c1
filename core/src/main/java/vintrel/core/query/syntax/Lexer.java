package vintrel.core.query.syntax;

import java.util.ArrayList;
import java.util.List;
import java.util.OptionalLong;
import vintrel.core.unit.Durations;

/** Text → tokens. Line breaks are white space: a line begins with {@code name:}. */
public final class Lexer {
  public enum Kind {
    WORD,
    QUOTED,
    TEXT,
    NUMBER,
    DURATION,
    CONTROL,
    SYMBOL,
    END
  }

  /** A token; {@code text} is without quotes, {@code number} the value of numbers and durations. */
  public record Token(Kind kind, String text, double number, SourceSpan span) {
    public boolean is(String symbolOrWord) {
      return (kind == Kind.SYMBOL || kind == Kind.WORD) && text.equals(symbolOrWord);
    }
  }

  private static final String[] SYMBOLS = {
    "!=", "<=", ">=", "(", ")", ",", ":", "+", "-", "*", "/", "%", "^", "=", "<", ">"
  };

  private static final String TRIPLE = "\"\"\"";

  private final String text;
  private final List<Token> tokens = new ArrayList<>();
  private int at;

  private Lexer(String text) {
    this.text = text;
  }

  public static List<Token> tokens(String text) {
    var lexer = new Lexer(text);
    while (lexer.next()) {}
    lexer.add(Kind.END, "", 0, text.length());
    return lexer.tokens;
  }

  private boolean next() {
    while (at < text.length() && Character.isWhitespace(text.charAt(at))) {
      at++;
    }
    if (at == text.length()) {
      return false;
    }
    char c = text.charAt(at);
    int start = at;
    if (text.startsWith(TRIPLE, at)) {
      int end = text.indexOf(TRIPLE, at + 3);
      if (end < 0) {
        throw error("missing closing \"\"\"", start);
      }
      at = end + 3;
      add(Kind.TEXT, text.substring(start + 3, end), 0, start);
    } else if (c == '\'' || c == '"') {
      var content = quoted(c);
      if (c == '"' && content.isEmpty()) {
        throw error("a name can't be empty", start);
      }
      add(c == '\'' ? Kind.TEXT : Kind.QUOTED, content, 0, start);
    } else if (Character.isDigit(c)) {
      number();
    } else if (wordStart(c)) {
      skipWord();
      add(Kind.WORD, text.substring(start, at), 0, start);
    } else if (c == '$') {
      at++;
      skipWord();
      if (at == start + 1) {
        throw error("a control name must follow $", start);
      }
      add(Kind.CONTROL, text.substring(start + 1, at), 0, start);
    } else {
      symbol();
    }
    return true;
  }

  private void symbol() {
    for (var symbol : SYMBOLS) {
      if (text.startsWith(symbol, at)) {
        int start = at;
        at += symbol.length();
        add(Kind.SYMBOL, symbol, 0, start);
        return;
      }
    }
    throw error("unexpected character " + text.charAt(at), at);
  }

  /** A doubled quote inside means one. */
  private String quoted(char quote) {
    int start = at++;
    var out = new StringBuilder();
    while (true) {
      if (at == text.length()) {
        throw error("missing closing " + quote, start);
      }
      char c = text.charAt(at++);
      if (c != quote) {
        out.append(c);
      } else if (at < text.length() && text.charAt(at) == quote) {
        out.append(quote);
        at++;
      } else {
        return out.toString();
      }
    }
  }

  private void number() {
    int start = at;
    while (at < text.length() && (Character.isLetterOrDigit(text.charAt(at)) || fraction())) {
      at++;
    }
    var word = text.substring(start, at);
    boolean exponent = word.matches("\\d+(\\.\\d+)?[eE]");
    if (exponent && at < text.length() && "+-".indexOf(text.charAt(at)) >= 0) {
      at++;
      while (at < text.length() && Character.isDigit(text.charAt(at))) {
        at++;
      }
      word = text.substring(start, at);
    }
    OptionalLong span = Durations.parse(word);
    if (span.isPresent()) {
      add(Kind.DURATION, word, span.getAsLong(), start);
    } else if (word.matches("\\d+(\\.\\d+)?([eE][+-]?\\d+)?")) {
      add(Kind.NUMBER, word, Double.parseDouble(word), start);
    } else {
      throw error(
          "'" + word + "' is neither a number nor a duration (such as 30s, 5m, 2h, 1d)", start);
    }
  }

  private boolean fraction() {
    return text.charAt(at) == '.'
        && at + 1 < text.length()
        && Character.isDigit(text.charAt(at + 1));
  }

  private static boolean wordStart(char c) {
    return Character.isLetter(c) || c == '_';
  }

  private void skipWord() {
    while (at < text.length()
        && (Character.isLetterOrDigit(text.charAt(at))
            || text.charAt(at) == '_'
            || (text.charAt(at) == '.'
                && at + 1 < text.length()
                && Character.isLetterOrDigit(text.charAt(at + 1))))) {
      at++;
    }
  }

  private void add(Kind kind, String content, double number, int start) {
    tokens.add(new Token(kind, content, number, new SourceSpan(start, at)));
  }

  private QueryException error(String message, int offset) {
    return QueryException.at("syntax", message, text, offset);
  }
}
