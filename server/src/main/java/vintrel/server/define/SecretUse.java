package vintrel.server.define;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.Stream;
import vintrel.core.define.Bundle;
import vintrel.core.define.Concealing;
import vintrel.core.define.DefinitionException;

/**
 * Who may edit a definition sees references to secrets, never the secrets. A reference therefore
 * stands only where its secret was entered: in the same field of the same definition, and as long
 * as it goes to the same hosts. Whoever wants it elsewhere must know it.
 */
final class SecretUse {
  private SecretUse() {}

  /**
   * Faults of references that a document may not use.
   *
   * @param entered references whose secrets came with the document
   * @param earlier the texts of all versions of a definition, by its key
   */
  static List<String> faults(
      Bundle.Document document, Set<String> entered, Function<String, Stream<String>> earlier) {
    var faults = new ArrayList<String>();
    var used = Concealing.byField(document.content());
    var fields = new ArrayList<Map.Entry<String, String>>();
    used.forEach(
        (field, references) ->
            references.stream()
                .filter(r -> !entered.contains(r))
                .forEach(r -> fields.add(Map.entry(field, r))));
    if (fields.isEmpty()) {
      return faults;
    }
    var hosts = Concealing.hosts(document.content());
    // What every earlier version that sent to these hosts had, by field.
    var known = new HashSet<Map.Entry<String, String>>();
    earlier
        .apply(document.key())
        .flatMap(SecretUse::content)
        .filter(v -> Concealing.hosts(v).containsAll(hosts))
        .forEach(
            v ->
                Concealing.byField(v)
                    .forEach((field, all) -> all.forEach(r -> known.add(Map.entry(field, r)))));
    for (var use : fields) {
      if (!known.contains(use)) {
        faults.add(
            "%s %s: %s: the secret %s was not entered here for these hosts; enter it again"
                .formatted(
                    document.definition().kind(),
                    document.definition().name(),
                    use.getKey(),
                    use.getValue()));
      }
    }
    return faults;
  }

  /** What a version holds; nothing if an earlier program accepted what this one does not. */
  private static Stream<Map<String, Object>> content(String text) {
    try {
      return Stream.of(Bundle.parse(text).documents().getFirst().content());
    } catch (DefinitionException e) {
      return Stream.empty();
    }
  }
}
