package vintrel.core.panel;

import java.util.ArrayList;
import java.util.List;

/** All kinds of panels: those that {@link PanelKind} permits. */
public final class PanelKinds {
  /** All kinds with their default settings, in the order in which they are offered. */
  public static final List<PanelKind> ALL = all();

  private static List<PanelKind> all() {
    var out = new ArrayList<PanelKind>();
    try {
      for (var type : PanelKind.class.getPermittedSubclasses()) {
        out.add((PanelKind) type.getField("DEFAULT").get(null));
      }
    } catch (ReflectiveOperationException e) {
      throw new IllegalStateException("a kind of panel has no constant DEFAULT", e);
    }
    return List.copyOf(out);
  }

  /** The kind of a name with its default settings, or null. */
  public static PanelKind named(String word) {
    return ALL.stream().filter(k -> k.word().equals(word)).findFirst().orElse(null);
  }

  private PanelKinds() {}
}
