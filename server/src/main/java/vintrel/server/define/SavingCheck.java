package vintrel.server.define;

import java.util.List;
import vintrel.core.define.Definition;

/** Tries out a definition before it is saved. Any thread; no lock is held. */
public interface SavingCheck {
  /** Why it can't be in force as it is, in words; empty if it can. */
  List<String> faults(Definition definition);
}
