package vintrel.core.picture;

import java.nio.charset.StandardCharsets;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.zip.CRC32C;
import vintrel.core.frame.Column;

/**
 * Ten colours for each theme, found by a search that kept them apart for normal sight and for
 * protanopia, deuteranopia and tritanopia (Machado, Oliveira and Fernandes, 2009) within a band of
 * lightness; a test computes it again. One palette serves all pictures of a dashboard: a key keeps
 * the colour that it got first, so the same host is the same colour everywhere. Any thread.
 */
public final class Palette {
  public static final int SIZE = 10;
  public static final List<String> DAY =
      List.of(
          "#2296e6", "#1c806e", "#8f740c", "#880145", "#7258bb", "#355d7a", "#79976c", "#c06bb4",
          "#685b1f", "#522f91");
  public static final List<String> NIGHT =
      List.of(
          "#6c7beb", "#6cedf3", "#b6ae2e", "#fa7692", "#fbbbae", "#86a8c9", "#d3e162", "#c75d8c",
          "#86912b", "#bdb5fc");

  private static final int MAX_KEYS = 10_000;

  private final Map<String, Integer> given;
  private final Set<String> repeated;

  public Palette() {
    this(new HashMap<>(), Set.of());
  }

  private Palette(Map<String, Integer> given, Set<String> repeated) {
    this.given = given;
    this.repeated = repeated;
  }

  /**
   * The same colours for one copy of a panel that is repeated: series that have no other labels
   * than what it is repeated by are known by their line, which is then alike in all copies.
   *
   * @param values that the panel is repeated for
   */
  public Palette repeated(Collection<String> values) {
    return values.isEmpty() ? this : new Palette(given, Set.copyOf(values));
  }

  /** Series with labels are known by them alone, so that they keep their colour across panels. */
  String key(String line, Column.Number n) {
    if (n.labels().isEmpty()) {
      return line + "|" + n.name();
    }
    boolean copy = n.labels().asMap().values().stream().allMatch(repeated::contains);
    return copy ? line + "|" : n.labels().toString();
  }

  /** The colours that one picture uses. */
  public final class InPicture {
    private final int[] users = new int[SIZE];

    /**
     * The number of a key's colour: the one that the palette gave it before, unless another series
     * of this picture has it and a free one is left.
     */
    public int colour(String key) {
      int wanted = preferred(key);
      int best = wanted;
      for (int i = 0; i < SIZE; i++) {
        int at = (wanted + i) % SIZE;
        best = users[at] < users[best] ? at : best;
      }
      users[best]++;
      remember(key, best);
      return best;
    }
  }

  public InPicture picture() {
    return new InPicture();
  }

  private int preferred(String key) {
    Integer known;
    synchronized (given) {
      known = given.get(key);
    }
    if (known != null) {
      return known;
    }
    var crc = new CRC32C();
    crc.update(key.getBytes(StandardCharsets.UTF_8));
    return (int) (crc.getValue() % SIZE);
  }

  private void remember(String key, int colour) {
    synchronized (given) {
      if (given.size() < MAX_KEYS) {
        given.putIfAbsent(key, colour);
      }
    }
  }
}
