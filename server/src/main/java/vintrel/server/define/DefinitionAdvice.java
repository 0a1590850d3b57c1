package vintrel.server.define;

import java.util.List;
import vintrel.core.define.Definition;

/** What is doubtful about a definition though it is valid. */
public interface DefinitionAdvice {
  /** One sentence each. */
  List<String> of(Definition definition);
}
