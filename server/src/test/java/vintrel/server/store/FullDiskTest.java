package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.springframework.util.FileSystemUtils;
import vintrel.core.series.Condition;
import vintrel.server.RunningServer;

/** A file system that is really full, and a database file with rubbish at its end. */
class FullDiskTest {
  private static int run(String... command) throws IOException, InterruptedException {
    return new ProcessBuilder(command).redirectErrorStream(true).start().waitFor();
  }

  private static int publish(RunningServer server, double value) {
    return server
        .post(
            "/api/v1/samples", "application/x-www-form-urlencoded", "metric=full.m&value=" + value)
        .statusCode();
  }

  private static int count(RunningServer server) {
    var store = server.bean(DurableStore.class);
    return store
        .read(store.select("main", "full.m", Condition.ALL), 0, Long.MAX_VALUE / 2)
        .getFirst()
        .count();
  }

  /** Writes until nothing more fits, or so many bytes. */
  private static void fill(Path file, long bytes) throws IOException {
    var block = new byte[1 << 20];
    try (OutputStream out = Files.newOutputStream(file)) {
      for (long n = 0; n < bytes; n += block.length) {
        out.write(block);
      }
    } catch (IOException e) {
      // It is full, as wanted.
    }
  }

  @Test
  void aFullFileSystemTakesNoSampleLosesNoneAndGoesOnWhenThereIsSpace() throws Exception {
    var folder = Files.createTempDirectory("vintrel-full");
    assumeTrue(
        run("mount", "-t", "tmpfs", "-o", "size=320m", "tmpfs", folder.toString()) == 0,
        "a file system of its own can only be mounted by root");
    var server = new RunningServer();
    try {
      server.startIn(folder.resolve("data"));
      assertThat(publish(server, 1)).isEqualTo(200);
      var filler = folder.resolve("filler");
      fill(filler, 150L << 20);
      assertThat(publish(server, 2)).as("less than the reserve is left").isEqualTo(503);
      fill(filler, Long.MAX_VALUE);
      assertThat(folder.toFile().getUsableSpace()).isLessThan(1 << 20);
      assertThat(publish(server, 3)).as("nothing is left").isEqualTo(503);
      assertThat(server.query("full.m then count", "-1h", "now").statusCode()).isEqualTo(200);
      assertThat(count(server)).isEqualTo(1);
      Files.delete(filler);
      assertThat(publish(server, 4)).isEqualTo(200);
      server.stop();
      server.start();
      assertThat(count(server)).isEqualTo(2);
      server.stop();
    } finally {
      run("umount", "-l", folder.toString());
      Files.deleteIfExists(folder);
    }
  }

  @Test
  void rubbishAtTheEndOfTheDatabaseFileIsPassedOver() throws Exception {
    var folder = Files.createTempDirectory("vintrel-rubbish");
    var server = new RunningServer();
    server.startIn(folder);
    for (int i = 0; i < 5; i++) {
      assertThat(publish(server, i)).isEqualTo(200);
    }
    int before = count(server);
    server.stop();
    var rubbish = new byte[10_000];
    new Random(3).nextBytes(rubbish);
    Files.write(folder.resolve("vintrel.mv.db"), rubbish, StandardOpenOption.APPEND);
    server.start();
    assertThat(count(server)).isEqualTo(before);
    assertThat(publish(server, 9)).isEqualTo(200);
    server.stop();
    FileSystemUtils.deleteRecursively(folder);
  }
}
