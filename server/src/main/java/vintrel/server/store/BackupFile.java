package vintrel.server.store;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.DigestInputStream;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.HexFormat;
import java.util.Map;
import java.util.zip.ZipFile;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.DamagedChunkException;
import vintrel.core.chunk.SummaryCodec;
import vintrel.core.event.EventBlock;
import vintrel.core.unit.Counts;

/**
 * A backup: a ZIP with the database file and a manifest that holds its SHA-256. Plain Java, for the
 * server and for the script.
 */
public final class BackupFile {
  static final String DATABASE = "vintrel.mv.db";
  static final String MANIFEST = "manifest.json";

  private BackupFile() {}

  /**
   * What a backup holds.
   *
   * @param chunks of samples and blocks of log records
   */
  public record Contents(long series, long chunks, long samples, long damaged) {}

  /**
   * Looks through a backup: checksum of the file, then every chunk is decoded.
   *
   * @throws IOException if it is no backup, or not what was written
   */
  public static Contents verify(Path file) throws IOException {
    var folder = Files.createTempDirectory("vintrel-verify");
    try {
      unpack(file, folder);
      return look(folder);
    } finally {
      Files.deleteIfExists(folder.resolve(DATABASE));
      Files.deleteIfExists(folder);
    }
  }

  /**
   * Puts a backup into a data directory.
   *
   * @throws IOException if that holds a database already, or the backup is not sound
   */
  public static Contents restore(Path file, Path folder) throws IOException {
    if (Files.exists(folder.resolve(DATABASE))) {
      throw new IOException(
          folder + " already contains a database; choose an empty directory with --data");
    }
    Files.createDirectories(folder);
    unpack(file, folder);
    Files.setPosixFilePermissions(folder, PosixFilePermissions.fromString("rwx------"));
    Files.setPosixFilePermissions(
        folder.resolve(DATABASE), PosixFilePermissions.fromString("rw-------"));
    var contents = look(folder);
    if (contents.damaged() > 0) {
      throw new IOException("the backup has " + Counts.of(contents.damaged(), "damaged chunk"));
    }
    return contents;
  }

  private static void unpack(Path file, Path folder) throws IOException {
    try (var zip = new ZipFile(file.toFile())) {
      var manifest = zip.getEntry(MANIFEST);
      var database = zip.getEntry(DATABASE);
      if (manifest == null || database == null) {
        throw new IOException(file + " is not a Vintrel backup");
      }
      Map<?, ?> description;
      try (var in = zip.getInputStream(manifest)) {
        description = JsonMapper.shared().readValue(in, Map.class);
      }
      var target = folder.resolve(DATABASE);
      var part = folder.resolve(DATABASE + ".part");
      String sum;
      try (var in = new DigestInputStream(zip.getInputStream(database), sha256())) {
        Files.copy(in, part, StandardCopyOption.REPLACE_EXISTING);
        sum = HexFormat.of().formatHex(in.getMessageDigest().digest());
      }
      if (!sum.equals(description.get("sha256"))) {
        Files.delete(part);
        throw new IOException(file + " is damaged: wrong checksum");
      }
      try {
        BackupSchema.check(part);
      } catch (IOException e) {
        Files.delete(part);
        throw e;
      }
      Files.move(part, target);
    } catch (java.util.zip.ZipException e) {
      throw new IOException(file + " is not a Vintrel backup: " + e.getMessage());
    }
  }

  static MessageDigest sha256() {
    try {
      return MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }

  private static Contents look(Path folder) throws IOException {
    var url = "jdbc:h2:file:" + folder.toAbsolutePath().resolve("vintrel") + ";ACCESS_MODE_DATA=r";
    try (var connection = DriverManager.getConnection(url, "sa", "");
        var statement = connection.createStatement()) {
      long series;
      try (var rows = statement.executeQuery("select count(*) from series")) {
        rows.next();
        series = rows.getLong(1);
      }
      long chunks = 0;
      long samples = 0;
      long damaged = 0;
      statement.setFetchSize(1000);
      try (var rows = statement.executeQuery("select tier, data from chunk")) {
        while (rows.next()) {
          chunks++;
          try {
            samples += samples(rows.getInt(1), rows.getBytes(2));
          } catch (DamagedChunkException e) {
            damaged++;
          }
        }
      }
      if (hasBlocks(statement)) {
        try (var rows = statement.executeQuery("select data from event_block")) {
          while (rows.next()) {
            chunks++;
            damaged += EventBlock.sound(rows.getBytes(1)) ? 0 : 1;
          }
        }
      }
      return new Contents(series, chunks, samples, damaged);
    } catch (SQLException e) {
      throw new IOException("the database in the backup can't be read: " + e.getMessage(), e);
    }
  }

  /** Backups of early versions have no blocks of log records. */
  private static boolean hasBlocks(Statement statement) throws SQLException {
    try (var rows =
        statement.executeQuery(
            "select count(*) from information_schema.tables where table_name = 'EVENT_BLOCK'")) {
      rows.next();
      return rows.getInt(1) > 0;
    }
  }

  private static long samples(int tier, byte[] data) {
    if (tier == 0) {
      return ChunkCodec.decode(data).count();
    }
    SummaryCodec.decode(data);
    return 0;
  }

  /** For the script: {@code verify FILE} or {@code restore FILE DIR}. */
  public static void main(String[] arguments) {
    try {
      var file = Path.of(arguments[1]);
      boolean restore = arguments[0].equals("restore");
      var c = restore ? restore(file, Path.of(arguments[2])) : verify(file);
      System.out.printf(
          "vintrel: %s: %,d series, %,d chunks, %,d raw samples, %s%n",
          restore ? "restored" : "verified",
          c.series(),
          c.chunks(),
          c.samples(),
          c.damaged() == 0 ? "no damage" : Counts.of(c.damaged(), "damaged chunk"));
      System.exit(c.damaged() == 0 ? 0 : 1);
    } catch (IOException | UncheckedIOException e) {
      System.err.println("vintrel: " + e.getMessage());
      System.exit(1);
    }
  }
}
