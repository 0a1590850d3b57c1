package vintrel.core.wire;

import java.util.regex.Pattern;

/**
 * Texts as cells of CSV. A spreadsheet computes what begins with {@code = + - @}, a tab or a
 * return, so such a text is written behind an apostrophe, which shows it as it is; numbers stay
 * numbers. Reading takes the apostrophe away again: each text comes back as it was.
 */
public final class CsvText {
  private static final Pattern NUMBER =
      Pattern.compile("[+-]?(\\d+(\\.\\d*)?|\\.\\d+)([eE][+-]?\\d+)?");
  private static final Pattern COMPUTED = Pattern.compile("'*[=+\\-@\t\r].*", Pattern.DOTALL);

  private CsvText() {}

  private static boolean computed(String text) {
    return COMPUTED.matcher(text).matches() && !NUMBER.matcher(text).matches();
  }

  /** A text as it is written; null stays null. */
  public static String written(String text) {
    return text != null && computed(text) ? "'" + text : text;
  }

  /** A text as it was before it was written. */
  public static String read(String cell) {
    return cell.startsWith("'") && computed(cell.substring(1)) ? cell.substring(1) : cell;
  }
}
