package vintrel.server.access;

import java.util.Arrays;
import java.util.Locale;
import java.util.stream.Collectors;

/** What a person can do: read, also change, or also manage people, tokens and stores. */
enum Role {
  VIEWER("viewer", "VIEWER"),
  EDITOR("editor", "EDITOR"),
  ADMINISTRATOR("administrator", "ADMIN");

  private final String word;
  private final String stored;

  Role(String word, String stored) {
    this.word = word;
    this.stored = stored;
  }

  String word() {
    return word;
  }

  /** As the database and the security rules name it. */
  String stored() {
    return stored;
  }

  /**
   * @throws IllegalArgumentException if there is none of this word
   */
  static Role of(String word) {
    return Arrays.stream(values())
        .filter(r -> r.word.equals(word.strip().toLowerCase(Locale.ROOT)))
        .findFirst()
        .orElseThrow(
            () ->
                new IllegalArgumentException(
                    "no role named `"
                        + word
                        + "`; roles: "
                        + Arrays.stream(values())
                            .map(Role::word)
                            .collect(Collectors.joining(", "))));
  }

  static Role named(String stored) {
    return Arrays.stream(values()).filter(r -> r.stored.equals(stored)).findFirst().orElse(VIEWER);
  }
}
