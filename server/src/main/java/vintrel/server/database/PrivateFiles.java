package vintrel.server.database;

import java.io.IOException;
import java.nio.file.FileVisitOption;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.Set;

/** Makes the data directory and all in it the server's own: 0700 and 0600. */
final class Private {
  private static final int DEEP = 3;

  private Private() {}

  static void folder(Path folder) throws IOException {
    if (!Files.getFileStore(folder).supportsFileAttributeView("posix")) {
      return;
    }
    try (var all = Files.walk(folder, DEEP, new FileVisitOption[0])) {
      for (var path : (Iterable<Path>) all::iterator) {
        if (!Files.isSymbolicLink(path)) {
          var wanted = Files.isDirectory(path) ? "rwx------" : "rw-------";
          Set<?> now = Files.getPosixFilePermissions(path);
          var only = PosixFilePermissions.fromString(wanted);
          if (!now.equals(only)) {
            Files.setPosixFilePermissions(path, only);
          }
        }
      }
    }
    // Leftovers of backups that a stop has cut off.
    try (var parts = Files.newDirectoryStream(folder, "backup*.part")) {
      for (var part : parts) {
        Files.deleteIfExists(part);
      }
    }
  }
}
