package vintrel.server.keep;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.springframework.stereotype.Component;
import vintrel.server.web.Settings;

/** How much room is left where the data lies. */
@Component
public class DiskSpace {
  private final Path folder;

  public DiskSpace(Settings settings) {
    this.folder = settings.data();
  }

  /** Bytes that may still be written; MAX_VALUE where that can't be told. */
  public long left() {
    try {
      return Files.getFileStore(folder).getUsableSpace();
    } catch (IOException e) {
      return Long.MAX_VALUE;
    }
  }

  /** Bytes of the files in the data directory. */
  public long used() {
    try (var files = Files.walk(folder)) {
      return files.filter(Files::isRegularFile).mapToLong(f -> f.toFile().length()).sum();
    } catch (IOException e) {
      return 0;
    }
  }
}
