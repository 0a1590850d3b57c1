package vintrel.server.define;

import java.util.List;
import java.util.stream.Collectors;
import vintrel.core.define.Changes;

/** A definition was to be saved over another version than the one that is in force. */
public final class StaleVersionException extends RuntimeException {
  private static final int SHOWN = 5;

  private final int version;
  private final transient List<Changes.Change> since;

  /**
   * @param version that is in force; 0 if there is none
   * @param by who saved it; empty if there is none
   * @param since what changed since the version that was expected; empty if that is not known
   */
  StaleVersionException(
      String kind, String name, int version, String by, List<Changes.Change> since) {
    super(text(kind, name, version, by, since));
    this.version = version;
    this.since = List.copyOf(since);
  }

  private static String text(
      String kind, String name, int version, String by, List<Changes.Change> since) {
    if (version == 0) {
      return "the %s `%s` does not exist any more".formatted(kind, name);
    }
    var words =
        since.stream().limit(SHOWN).map(Changes.Change::words).collect(Collectors.joining("; "));
    var more = since.size() > SHOWN ? " and %d more".formatted(since.size() - SHOWN) : "";
    return "the %s `%s` is at version %d now, saved by %s%s"
        .formatted(kind, name, version, by, words.isEmpty() ? "" : ": " + words + more);
  }

  public int version() {
    return version;
  }

  public List<Changes.Change> since() {
    return since;
  }
}
