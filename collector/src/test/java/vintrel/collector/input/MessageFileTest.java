package vintrel.collector.input;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class MessageFileTest {
  @TempDir Path folder;

  private static MessageFile.Message message(String text) {
    return new MessageFile.Message(1, "n", text.getBytes());
  }

  private List<String> left() throws IOException {
    var out = new ArrayList<String>();
    try (var file = new MessageFile(folder, "m")) {
      file.left(m -> out.add(new String(m.payload())));
    }
    return out;
  }

  @Test
  void whatAKillOrDamageCutsOffHarmsNothingBefore() throws IOException {
    try (var file = new MessageFile(folder, "m")) {
      file.add(message("a"));
      file.add(message("b"));
    }
    var path = folder.resolve("m.0.messages");
    var whole = Files.readAllBytes(path);
    for (int n = 0; n < whole.length; n++) {
      Files.write(path, java.util.Arrays.copyOf(whole, n));
      assertThat(left()).isEqualTo(n < whole.length / 2 ? List.of() : List.of("a"));
    }
    // A length that is none takes no memory.
    whole[whole.length / 2 + 11] = 0x7f;
    Files.write(path, whole);
    assertThat(left()).containsExactly("a");
    Files.writeString(folder.resolve("m.x.messages"), "no number");
    Files.writeString(folder.resolve("other.1.messages"), "another input");
    assertThat(left()).containsExactly("a");
  }

  @Test
  void onlySoMuchWaitsAndMoreOnceThatIsConfirmed() throws IOException {
    var large = message("x".repeat(MessageFile.MAX_PAYLOAD));
    try (var file = new MessageFile(folder, "m")) {
      int taken = 0;
      try {
        for (; taken < 100; taken++) {
          file.add(large);
        }
      } catch (IOException e) {
        assertThat(e).hasMessageContaining("wait to be queued");
      }
      assertThat(taken).isBetween(30, 32);
      file.confirmation().run();
      file.add(large);
    }
    assertThat(left()).hasSize(1);
    var closed = new MessageFile(folder, "m");
    closed.close();
    assertThatThrownBy(() -> closed.add(large)).isInstanceOf(IOException.class);
  }
}
