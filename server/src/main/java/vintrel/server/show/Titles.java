package vintrel.server.show;

import org.springframework.stereotype.Component;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Names;
import vintrel.server.define.Definitions;

/** Titles of dashboards, and the names that they have in addresses. */
@Component
class Titles {
  private static final int MAX = 200;
  private static final String COPY = ", copy";

  private final Definitions definitions;

  Titles(Definitions definitions) {
    this.definitions = definitions;
  }

  /**
   * @return the title without spaces around it
   * @throws IllegalArgumentException if it is empty or too long
   */
  static String need(String title) {
    var clean = title.strip();
    if (clean.isEmpty() || clean.length() > MAX) {
      throw new IllegalArgumentException("a dashboard needs a title of 1 to 200 characters");
    }
    return clean;
  }

  /** A name that no dashboard has. */
  String free(String title) {
    return definitions.free("dashboard", Names.of(need(title)));
  }

  /** The same dashboard under a title and a name of its own. */
  Dashboard copy(Dashboard from) {
    boolean room = from.title().length() + COPY.length() <= MAX;
    var title = need(room ? from.title() + COPY : from.title());
    return from.called(free(title)).titled(title);
  }
}
