package vintrel.server.database;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.springframework.beans.factory.annotation.Autowired;
import org.springframework.stereotype.Component;
import vintrel.core.store.StoreBusyException;
import vintrel.server.web.Settings;

/** Checks the free space of the data directory's disk. */
@Component
public class DiskSpace {
  private final Path folder;
  private final long reserve;

  @Autowired
  DiskSpace(Settings settings) {
    this(settings.data(), settings.ingest().reserveBytes());
  }

  /**
   * @param reserve bytes that {@link #need} keeps free
   */
  public DiskSpace(Path folder, long reserve) {
    this.folder = folder;
    this.reserve = reserve;
  }

  /** Bytes that may still be written; MAX_VALUE if that is not known. */
  public long left() {
    try {
      return Files.getFileStore(folder).getUsableSpace();
    } catch (IOException e) {
      return Long.MAX_VALUE;
    }
  }

  /**
   * Refuses what would take room that chunks, alerts and messages need.
   *
   * @throws StoreBusyException if less than the reserve is left
   */
  public void requireSpace() {
    long left = left();
    if (left < reserve) {
      throw new StoreBusyException(
          "disk nearly full: %,d MB free, %,d MB reserved; free some space"
              .formatted(left / 1_000_000, reserve / 1_000_000),
          30);
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
