package vintrel.server.define;

/**
 * A version of a definition.
 *
 * @param version from 1; each save and each deletion adds one
 * @param at ms since the epoch
 * @param by who saved it
 * @param text the document as YAML; null if the version is a deletion
 */
public record Revision(int version, long at, String by, Origin from, String text) {
  public boolean deleted() {
    return text == null;
  }
}
