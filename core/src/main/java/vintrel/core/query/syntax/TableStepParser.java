package vintrel.core.query.syntax;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import vintrel.core.frame.Tables.JoinKind;
import vintrel.core.query.syntax.Lexer.Kind;

/** The steps whose results are tables. */
final class TableStepParser {
  static final Set<String> WORDS =
      Set.of(
          "rows", "columns", "group", "sort", "limit", "where", "rename", "drop", "compute", "join",
          "bins", "cells", "unpack");

  private static final int MAX_BINS = 1000;

  private final TokenReader in;

  TableStepParser(TokenReader in) {
    this.in = in;
  }

  Step step(String word, SourceSpan start) {
    return switch (word) {
      case "rows" -> new Step.Rows(start);
      case "columns" -> new Step.Columns(start);
      case "group" -> group(start);
      case "sort" -> sort(start);
      case "limit" -> new Step.Limit(whole("rows", 1_000_000), span(start));
      case "where" -> new Step.Where(new FormulaParser(in).formula(), span(start));
      case "rename" -> {
        var from = column();
        in.expect("to");
        yield new Step.Rename(from, column(), span(start));
      }
      case "keep" -> new Step.Keep(in.labels(false), span(start));
      case "drop" -> new Step.Drop(in.labels(false), span(start));
      case "compute" -> {
        var name = column();
        in.expect("=");
        yield new Step.Compute(name, new FormulaParser(in).formula(), span(start));
      }
      case "join" -> join(start);
      case "bins" -> new Step.Bins(whole("bins", MAX_BINS), span(start));
      case "cells" -> {
        int spans = whole("spans of time", MAX_BINS);
        in.expect("by");
        yield new Step.Cells(spans, whole("bins", MAX_BINS), span(start));
      }
      default -> unpack(start);
    };
  }

  private String column() {
    return in.name("a column's name").text();
  }

  private int whole(String what, int max) {
    var place = in.peek().span();
    double n = in.number();
    if (n != Math.rint(n) || n < 1 || n > max) {
      throw in.error("the number of " + what + " must be a whole number from 1 to " + max, place);
    }
    return (int) n;
  }

  private Step group(SourceSpan start) {
    in.expect("by");
    var keys = in.labels(false);
    in.expect(":");
    var aggregates = new ArrayList<Step.Aggregate>();
    do {
      var reducer = in.peek().kind() == Kind.WORD ? Reducer.of(in.peek().text()) : null;
      if (reducer == null) {
        throw in.unexpected("an aggregate such as sum, mean or count");
      }
      in.take();
      aggregates.add(new Step.Aggregate(reducer, column()));
    } while (in.accept(","));
    return new Step.GroupBy(keys, aggregates, span(start));
  }

  private Step sort(SourceSpan start) {
    in.expect("by");
    var by = column();
    boolean descending = in.accept("descending");
    if (!descending) {
      in.accept("ascending");
    }
    return new Step.Sort(by, descending, span(start));
  }

  private Step join(SourceSpan start) {
    var line = in.name("another line's name").text();
    in.expect("on");
    var on = in.labels(false);
    var kind = JoinKind.INNER;
    for (var k : JoinKind.values()) {
      if (in.accept(k.name().toLowerCase(java.util.Locale.ROOT))) {
        kind = k;
      }
    }
    return new Step.Join(line, on, kind, span(start));
  }

  private Step unpack(SourceSpan start) {
    var path = column();
    String name = path;
    if (in.accept("as")) {
      name = column();
    }
    return new Step.Unpack(List.of(path.split("\\.")), name, span(start));
  }

  private SourceSpan span(SourceSpan start) {
    return start.to(in.before());
  }
}
