package vintrel.core.define;

import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Trees;

/** What ties a dashboard to one server: the stores that its lines name. Pure; any thread. */
public final class Portable {
  private Portable() {}

  /** The stores that the lines of a dashboard name, by name. */
  public static Set<String> stores(Dashboard dashboard) {
    var out = new TreeSet<String>();
    for (var panel : dashboard.panels()) {
      collect(panel.query(), out);
    }
    for (var control : dashboard.controls()) {
      collect(control.query(), out);
    }
    return out;
  }

  private static void collect(String text, Set<String> into) {
    var query = parsed(text);
    if (query == null) {
      return;
    }
    for (var line : query.lines()) {
      Trees.walk(
          line.expr(),
          e -> {
            var store = storeOf(e);
            if (!store.isEmpty()) {
              into.add(store);
            }
          });
    }
  }

  private static String storeOf(Expr e) {
    return switch (e) {
      case Expr.Source s -> s.store();
      case Expr.Events s -> s.store();
      case Expr.Sql s -> s.store();
      default -> "";
    };
  }

  /**
   * The dashboard with other stores in its lines.
   *
   * @param stores new names by old ones; those that are absent stay
   */
  public static Dashboard with(Dashboard dashboard, Map<String, String> stores) {
    return dashboard.asking(query -> moved(query, stores));
  }

  private static String moved(String text, Map<String, String> stores) {
    var query = parsed(text);
    if (query == null) {
      return text;
    }
    var lines =
        query.lines().stream()
            .map(
                l ->
                    new Query.Line(
                        l.name(),
                        l.hidden(),
                        Trees.map(l.expr(), e -> moved(e, stores), List::of),
                        l.span()))
            .toList();
    var changed = new Query(lines, query.source());
    // Lines that name no such store keep the text that somebody wrote.
    return changed.equals(query) ? text : Printer.print(changed);
  }

  private static Expr moved(Expr e, Map<String, String> stores) {
    var to = stores.get(storeOf(e));
    if (to == null || to.equals(storeOf(e))) {
      return e;
    }
    return switch (e) {
      case Expr.Source s -> new Expr.Source(s.name(), to, s.where(), s.span());
      case Expr.Events s -> new Expr.Events(to, s.where(), s.span());
      case Expr.Sql s -> new Expr.Sql(to, s.statement(), s.span());
      default -> e;
    };
  }

  private static Query parsed(String text) {
    try {
      return text.isBlank() ? null : Parser.parse(text);
    } catch (QueryException e) {
      return null;
    }
  }
}
