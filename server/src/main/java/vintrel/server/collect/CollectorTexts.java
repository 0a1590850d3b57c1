package vintrel.server.collect;

import org.springframework.stereotype.Component;
import vintrel.core.collect.Check;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.server.define.Definitions;

/**
 * What collectors take from here: their configurations with the checks that are placed at them. Any
 * thread.
 */
@Component
class CollectorTexts {
  private final Definitions definitions;

  CollectorTexts(Definitions definitions) {
    this.definitions = definitions;
  }

  /** The text for a configuration, or null if there is none of this name. */
  String wanted(String name) {
    var stored = definitions.find("collector", name);
    return stored == null ? null : withChecks(stored.text());
  }

  /** A configuration's text with the checks of now; the same text if there are none. */
  String withChecks(String text) {
    var config = config(text);
    if (config == null) {
      return text;
    }
    var checks = definitions.checks().stream().map(Definition.OfCheck::check).toList();
    var all = config.with(checks);
    return all.inputs().size() == config.inputs().size()
        ? text
        : Bundle.Document.of(new Definition.OfCollector(all)).text();
  }

  /** Whether a check's name is that of an input of a configuration. */
  boolean isTaken(Check check, String name) {
    var stored = definitions.find("collector", name);
    var config = stored == null ? null : config(stored.text());
    return config != null && config.has(check.name());
  }

  private static CollectorConfig config(String text) {
    try {
      return Bundle.parse(text).documents().getFirst().definition()
              instanceof Definition.OfCollector c
          ? c.config()
          : null;
    } catch (DefinitionException e) {
      // An earlier version that would not be accepted today.
      return null;
    }
  }
}
