package vintrel.server.web;

import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Who came in, who was turned away, and who changed what people and tokens may do: a log of its own
 * ({@code vintrel.access}). No secrets, and nothing that could begin a line of its own. Any thread.
 */
public final class AccessLog {
  private static final Logger log = LoggerFactory.getLogger("vintrel.access");
  private static final int MAX = 200;

  private AccessLog() {}

  /** Logs what a user did. */
  public static void done(String who, String what) {
    log.info("{}: {}", clean(who), clean(what));
  }

  /** Logs what a user was denied. */
  public static void refused(String who, String what) {
    log.warn("{}: rejected: {}", clean(who), clean(what));
  }

  static String clean(String text) {
    var one = String.valueOf(text).replaceAll("\\p{Cntrl}", "?");
    return one.length() <= MAX ? one : one.substring(0, MAX) + "…";
  }
}
