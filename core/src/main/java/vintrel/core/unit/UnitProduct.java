package vintrel.core.unit;

import java.util.ArrayList;
import java.util.List;

/**
 * A unit as factors above and below the line. UCUM reads products and quotients from the left, so
 * that {@code a/b/c} is a over b and c (UCUM 2.2, §7); a term in braces or parentheses is one
 * factor.
 */
record UnitProduct(List<String> above, List<String> below) {
  static UnitProduct of(String unit) {
    var above = new ArrayList<String>();
    var below = new ArrayList<String>();
    int depth = 0;
    int from = 0;
    boolean over = false;
    for (int i = 0; i <= unit.length(); i++) {
      char c = i < unit.length() ? unit.charAt(i) : '.';
      if (c == '{' || c == '(') {
        depth++;
      } else if (c == '}' || c == ')') {
        depth--;
      } else if (i == unit.length() || depth <= 0 && (c == '.' || c == '/')) {
        var factor = unit.substring(from, i);
        if (!factor.isEmpty() && !factor.equals("1")) {
          (over ? below : above).add(factor);
        }
        from = i + 1;
        over = c == '/';
      }
    }
    return new UnitProduct(above, below);
  }

  UnitProduct times(UnitProduct other) {
    return new UnitProduct(both(above, other.above), both(below, other.below)).shortened();
  }

  UnitProduct over(UnitProduct other) {
    return times(new UnitProduct(other.below, other.above));
  }

  private static List<String> both(List<String> a, List<String> b) {
    var out = new ArrayList<>(a);
    out.addAll(b);
    return out;
  }

  /** Without what stands both above and below. */
  private UnitProduct shortened() {
    var top = new ArrayList<String>();
    var bottom = new ArrayList<>(below);
    for (var factor : above) {
      if (!bottom.remove(factor)) {
        top.add(factor);
      }
    }
    return new UnitProduct(top, bottom);
  }

  String text() {
    var out = new StringBuilder(above.isEmpty() ? "1" : String.join(".", above));
    for (var factor : below) {
      out.append('/').append(factor);
    }
    return out.toString();
  }
}
