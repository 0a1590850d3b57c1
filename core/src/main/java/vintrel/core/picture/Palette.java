package vintrel.core.picture;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.zip.CRC32C;

/**
 * Ten colours for each theme, found by a search that kept them apart for normal sight and for
 * protanopia, deuteranopia and tritanopia (Machado, Oliveira and Fernandes, 2009) within a band of
 * lightness; a test computes it again. A key always asks for the same colour; where that one is
 * taken within a picture, the next free one is given.
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

  private final Map<String, Integer> given = new HashMap<>();
  private final int[] users = new int[SIZE];

  /** The number of a key's colour; two keys share one only when all ten are in use. */
  public int colour(String key) {
    return given.computeIfAbsent(key, this::choose);
  }

  private int choose(String key) {
    var crc = new CRC32C();
    crc.update(key.getBytes(java.nio.charset.StandardCharsets.UTF_8));
    int start = (int) (crc.getValue() % SIZE);
    int best = start;
    for (int i = 0; i < SIZE; i++) {
      int at = (start + i) % SIZE;
      if (users[at] < users[best]) {
        best = at;
      }
    }
    users[best]++;
    return best;
  }
}
