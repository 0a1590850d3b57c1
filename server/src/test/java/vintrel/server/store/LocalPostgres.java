package vintrel.server.store;

import java.io.IOException;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.springframework.util.FileSystemUtils;

/** A throwaway cluster of Debian's PostgreSQL. */
public final class LocalPostgres implements AutoCloseable {
  private static final Path PROGRAMS = Path.of("/usr/lib/postgresql");

  private final Path folder;
  private final Path programs;
  private final int port;

  private LocalPostgres(Path folder, Path programs, int port) {
    this.folder = folder;
    this.programs = programs;
    this.port = port;
  }

  /** The folder of the programs, or null if PostgreSQL is not installed. */
  public static Path programs() {
    if (!Files.isDirectory(PROGRAMS)) {
      return null;
    }
    try (var versions = Files.list(PROGRAMS)) {
      return versions
          .map(v -> v.resolve("bin"))
          .filter(b -> Files.isExecutable(b.resolve("initdb")))
          .findFirst()
          .orElse(null);
    } catch (IOException e) {
      return null;
    }
  }

  public static LocalPostgres start() throws IOException, InterruptedException {
    int port;
    try (var socket = new ServerSocket(0)) {
      port = socket.getLocalPort();
    }
    var folder = Files.createTempDirectory("vintrel-postgres");
    folder.toFile().setWritable(true, false);
    folder.toFile().setReadable(true, false);
    folder.toFile().setExecutable(true, false);
    var postgres = new LocalPostgres(folder, programs(), port);
    postgres.run("initdb", "-D", postgres.data(), "-A", "trust", "-U", "vintrel", "--no-sync");
    postgres.run(
        "pg_ctl",
        "-D",
        postgres.data(),
        "-w",
        "-l",
        folder.resolve("log").toString(),
        "-o",
        "-p %d -k %s -c listen_addresses=127.0.0.1".formatted(port, folder),
        "start");
    return postgres;
  }

  private String data() {
    return folder.resolve("data").toString();
  }

  public String url() {
    return "jdbc:postgresql://127.0.0.1:" + port + "/postgres";
  }

  /** PostgreSQL refuses to run as root. */
  private void run(String program, String... arguments) throws IOException, InterruptedException {
    var command = new ArrayList<String>();
    if (System.getProperty("user.name").equals("root")) {
      command.addAll(List.of("runuser", "-u", "postgres", "--"));
    }
    command.add(programs.resolve(program).toString());
    command.addAll(List.of(arguments));
    var output = Files.createTempFile("vintrel-postgres", ".log");
    var process =
        new ProcessBuilder(command)
            .directory(folder.toFile())
            .redirectErrorStream(true)
            .redirectOutput(output.toFile())
            .start();
    if (!process.waitFor(60, TimeUnit.SECONDS) || process.exitValue() != 0) {
      throw new IOException(program + " failed: " + Files.readString(output));
    }
  }

  @Override
  public void close() throws IOException, InterruptedException {
    run("pg_ctl", "-D", data(), "-m", "immediate", "stop");
    FileSystemUtils.deleteRecursively(folder);
  }
}
