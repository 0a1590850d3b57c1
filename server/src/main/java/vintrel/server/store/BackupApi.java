package vintrel.server.store;

import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.nio.file.FileSystems;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.DigestInputStream;
import java.time.Clock;
import java.util.HexFormat;
import java.util.Map;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RestController;
import tools.jackson.databind.json.JsonMapper;
import vintrel.server.database.Database;
import vintrel.server.web.Settings;

/** A backup while everything goes on: what was acknowledged before the call is in it. */
@RestController
class BackupApi {
  private final DurableStore store;
  private final Database database;
  private final Path folder;
  private final Clock clock;

  BackupApi(DurableStore store, Database database, Settings settings, Clock clock) {
    this.store = store;
    this.database = database;
    this.folder = settings.data();
    this.clock = clock;
  }

  @PostMapping("/api/v1/backup")
  void backup(HttpServletResponse response) throws IOException {
    if (!database.isFile()) {
      throw new IllegalArgumentException(
          "this server stores its data in PostgreSQL; back it up with PostgreSQL's tools");
    }
    store.flush();
    var file = Files.createTempFile(folder, "backup", ".part");
    try {
      database.backup(file);
      seal(file);
      response.setContentType("application/zip");
      response.setContentLengthLong(Files.size(file));
      Files.copy(file, response.getOutputStream());
    } finally {
      Files.deleteIfExists(file);
    }
  }

  /** Adds the manifest with the database's checksum. */
  private void seal(Path file) throws IOException {
    try (var zip = FileSystems.newFileSystem(file)) {
      String sum;
      try (var in =
          new DigestInputStream(
              Files.newInputStream(zip.getPath(BackupFile.DATABASE)), BackupFile.sha256())) {
        in.transferTo(java.io.OutputStream.nullOutputStream());
        sum = HexFormat.of().formatHex(in.getMessageDigest().digest());
      }
      var manifest = Map.of("made", clock.instant().toString(), "format", 1, "sha256", sum);
      Files.write(
          zip.getPath(BackupFile.MANIFEST), JsonMapper.shared().writeValueAsBytes(manifest));
    }
  }
}
