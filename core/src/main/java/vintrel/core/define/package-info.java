/**
 * Definition files: YAML or JSON documents, each with a {@code kind} and a {@code name}. {@link
 * vintrel.core.define.Bundle} reads several; a {@link vintrel.core.define.Definition} is one of
 * them, checked and turned into a rule, dashboard, recipient or routing table. Faults name the
 * document, the path within it, and what to do ({@link vintrel.core.define.DefinitionException}).
 */
package vintrel.core.define;
