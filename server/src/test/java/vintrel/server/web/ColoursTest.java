package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import vintrel.core.picture.Palette;

/** The styles draw with the colours that the core has checked for colour-vision deficiencies. */
class ColoursTest {
  @Test
  void theStylesUseTheCheckedPalettes() throws IOException {
    var styles = Files.readString(Path.of("src/main/web/src/app.css"));
    int night = styles.indexOf("[data-theme='night']");
    for (int i = 0; i < Palette.SIZE; i++) {
      assertThat(styles.substring(0, night)).contains("--s" + i + ": " + Palette.DAY.get(i) + ";");
      assertThat(styles.substring(night)).contains("--s" + i + ": " + Palette.NIGHT.get(i) + ";");
    }
  }
}
