package vintrel.server.web;

import java.util.EnumSet;
import java.util.Locale;
import java.util.Set;
import vintrel.core.series.Labels;

/** Who holds an API token, and what it may do. */
public interface TokenCheck {
  /** The request's attribute with the name of its token, if it is known, valid or not. */
  String NAME = TokenCheck.class.getName() + ".name";

  /**
   * Looks at a token that came with a request.
   *
   * @param address of the sender, as an IP address
   */
  Verdict check(String token, String address);

  /** One thing that a token may do. */
  enum Right {
    METRICS("send metrics"),
    EVENTS("send events"),
    READ("read"),
    DEFINE("apply definitions");

    private final String words;

    Right(String words) {
      this.words = words;
    }

    public String words() {
      return words;
    }
  }

  /** Usual sets of rights, by the names that the script and the API use. */
  enum Scope {
    INGEST(Right.METRICS, Right.EVENTS),
    READ(Right.READ),
    ALL(Right.METRICS, Right.EVENTS, Right.READ, Right.DEFINE);

    private final Set<Right> rights;

    Scope(Right... rights) {
      this.rights = Set.of(rights);
    }

    public Set<Right> rights() {
      return rights;
    }
  }

  /**
   * @param id 0 for tokens that are not in the list: of the environment, or of this machine
   * @param store the named store that the token writes to, or empty if it may choose
   * @param maxSamples samples per second, or 0 if there is no limit of its own
   * @param maxSeries new series per hour, or 0 if there is no limit of its own
   * @param labels that what it sends gets, where it has none of that name
   */
  record Holder(
      long id,
      String name,
      Set<Right> rights,
      String store,
      int maxSamples,
      int maxSeries,
      Labels labels) {
    public Holder {
      rights = Set.copyOf(rights);
    }

    /** Whether it may do everything, tokens and backups included. */
    public boolean isFull() {
      return rights.size() == Right.values().length && store.isEmpty();
    }
  }

  /**
   * @param holder null if the token may not be used
   * @param status of the answer then: 401 for an unknown or expired token, 403 for a foreign
   *     network
   * @param reason why, in words
   * @param name of the token, if it is known; else empty
   */
  record Verdict(Holder holder, int status, String reason, String name) {
    public static Verdict of(Holder holder) {
      return new Verdict(holder, 200, "", holder.name());
    }
  }

  /** A list of names of rights with commas → the rights; names in any case. */
  static Set<Right> rights(String names) {
    var out = EnumSet.noneOf(Right.class);
    for (var name : names.split(",")) {
      if (!name.isBlank()) {
        try {
          out.add(Right.valueOf(name.strip().toUpperCase(Locale.ROOT)));
        } catch (IllegalArgumentException e) {
          throw new IllegalArgumentException(
              "no right named `" + name.strip() + "`; rights: metrics, events, read, define");
        }
      }
    }
    return out;
  }
}
