package vintrel.core.store;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class JournalTest {
  @TempDir Path folder;
  private final List<String> read = new ArrayList<>();

  @BeforeEach
  void clear() {
    read.clear();
  }

  private Journal.Found open(long after) throws IOException {
    read.clear();
    return Journal.open(folder, after, p -> read.add(new String(p)));
  }

  private static void append(Journal journal, String... texts) throws IOException {
    journal.append(Arrays.stream(texts).map(t -> ByteBuffer.wrap(t.getBytes())).toList());
  }

  private List<Path> files() throws IOException {
    try (var files = Files.list(folder)) {
      return files.sorted().toList();
    }
  }

  @Test
  void whatWasAppendedIsReadInOrderAndOnlyAfterTheMark() throws IOException {
    try (var journal = open(0).journal()) {
      append(journal, "a", "b");
      journal.rotate();
      append(journal, "c");
    }
    assertThat(open(0).records()).isEqualTo(3);
    assertThat(read).containsExactly("a", "b", "c");
    try (var journal = open(2).journal()) {
      assertThat(read).containsExactly("c");
      append(journal, "d");
      assertThat(journal.sequence()).isEqualTo(4);
    }
    open(2);
    assertThat(read).containsExactly("c", "d");
  }

  @Test
  void segmentsOfWhichNothingIsNeededAreDeleted() throws IOException {
    try (var journal = open(0).journal()) {
      append(journal, "a", "b");
      journal.rotate();
      append(journal, "c");
      journal.drop(1);
      assertThat(files()).hasSize(2);
      journal.drop(2);
      assertThat(files()).hasSize(1);
      journal.drop(3);
      assertThat(files()).as("the one in use stays").hasSize(1);
      journal.rotate();
      journal.drop(3);
      assertThat(files()).isEmpty();
      append(journal, "d");
    }
    open(3);
    assertThat(read).containsExactly("d");
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6})
  void aTornEndLosesOnlyTheRecordThatWasTorn(long seed) throws IOException {
    try (var journal = open(0).journal()) {
      append(journal, "first", "second", "third");
    }
    var file = files().getFirst();
    var bytes = Files.readAllBytes(file);
    int third = bytes.length - 16 - 5 - 4;
    int cut = third + 1 + new Random(seed).nextInt(bytes.length - third - 1);
    Files.write(file, Arrays.copyOf(bytes, cut));
    try (var found = open(0).journal()) {
      assertThat(read).containsExactly("first", "second");
      append(found, "again");
    }
    assertThat(open(0).damaged())
        .as("a torn end is no damage: nobody was told it is kept")
        .isZero();
    assertThat(read).containsExactly("first", "second", "again");
  }

  @Test
  void rubbishAtTheEndAndABitThatTurnedInTheMiddleAreSteppedOver() throws IOException {
    try (var journal = open(0).journal()) {
      append(journal, "first", "second", "third");
    }
    var file = files().getFirst();
    var bytes = Files.readAllBytes(file);
    bytes[16 + 5 + 4 + 18] ^= 1;
    Files.write(file, bytes);
    Files.write(file, new byte[] {1, 2, 3, 0x56, 0x4a, 0x52, 0x4e}, StandardOpenOption.APPEND);
    var found = open(0);
    assertThat(read).containsExactly("first", "third");
    assertThat(found.damaged()).isEqualTo(16 + 6 + 4);
  }
}
