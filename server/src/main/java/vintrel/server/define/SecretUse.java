package vintrel.server.define;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.Stream;
import vintrel.core.define.Bundle;
import vintrel.core.define.Concealing;

/**
 * Who may edit a definition sees references to secrets, never the secrets. A reference therefore
 * goes only where its secret went before: with the same definition, to the same hosts. Whoever
 * sends it elsewhere must know it.
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
    var used =
        Concealing.sent(document.content()).stream().filter(r -> !entered.contains(r)).toList();
    if (used.isEmpty()) {
      return faults;
    }
    var hosts = Concealing.hosts(document.content());
    var versions =
        earlier
            .apply(document.key())
            .map(text -> Bundle.parse(text).documents().getFirst().content())
            .toList();
    for (var reference : used) {
      boolean known =
          versions.stream()
              .anyMatch(
                  v ->
                      Concealing.sent(v).contains(reference)
                          && Concealing.hosts(v).containsAll(hosts));
      if (!known) {
        faults.add(
            "%s %s: secret %s was not sent to these hosts before; enter it again"
                .formatted(document.definition().kind(), document.definition().name(), reference));
      }
    }
    return faults;
  }
}
