package vintrel.core.define;

import java.util.List;

/** One or more faults in definition files; all that were found. */
public final class DefinitionException extends RuntimeException {
  private final List<String> faults;

  public DefinitionException(List<String> faults) {
    super(String.join("\n", faults));
    this.faults = List.copyOf(faults);
  }

  public List<String> faults() {
    return faults;
  }
}
