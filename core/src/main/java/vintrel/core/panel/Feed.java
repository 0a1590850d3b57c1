package vintrel.core.panel;

import java.math.BigDecimal;
import java.util.regex.Pattern;

/**
 * A number of a panel that a line of its query gives. Documents write {@code = ceiling or 15}, or
 * {@code = each ceiling or 15}; a name that is not a word stands in single quotes.
 *
 * @param line the name of the line
 * @param each whether a limit follows each moment's value, not the last one alone
 * @param otherwise the number if the line gives none; null: as if nothing were set
 */
public record Feed(String line, boolean each, Double otherwise) {
  private static final String WORD = "[A-Za-z_][A-Za-z0-9_.]*";

  /** As JSON Schema writes it too. */
  public static final String PATTERN =
      "= *(each +)?(" + WORD + "|'[^']{1,200}') +or +(auto|-?[0-9]{1,15}(\\.[0-9]{1,15})?)";

  private static final Pattern PARTS = Pattern.compile(PATTERN);

  /** What a document says, or null if it is not one. */
  public static Feed of(Object written) {
    if (!(written instanceof String text)) {
      return null;
    }
    var parts = PARTS.matcher(text.strip());
    if (!parts.matches()) {
      return null;
    }
    var line = parts.group(2);
    var or = parts.group(3);
    return new Feed(
        line.startsWith("'") ? line.substring(1, line.length() - 1) : line,
        parts.group(1) != null,
        or.equals("auto") ? null : Double.valueOf(or));
  }

  /** As documents write it. */
  public String written() {
    var name = line.matches(WORD) && !line.equals("each") ? line : "'" + line + "'";
    var or =
        otherwise == null
            ? "auto"
            : new BigDecimal(otherwise.toString()).stripTrailingZeros().toPlainString();
    return "= " + (each ? "each " : "") + name + " or " + or;
  }
}
