package vintrel.collector;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.PrintStream;
import java.net.http.HttpClient;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Map;

/** A collector that runs within a test. */
public final class CollectorProcess implements AutoCloseable {
  private final Agent agent;
  private final Thread thread;
  private final ByteArrayOutputStream said;
  private final PrintStream before;

  private CollectorProcess(Agent agent, ByteArrayOutputStream said, PrintStream before) {
    this.agent = agent;
    this.said = said;
    this.before = before;
    this.thread =
        Thread.ofVirtual()
            .start(
                () -> {
                  try {
                    agent.run();
                  } catch (IOException e) {
                    throw new java.io.UncheckedIOException(e);
                  } catch (InterruptedException e) {
                    Thread.currentThread().interrupt();
                  }
                });
  }

  public static CollectorProcess start(Path file, Path data, String to, String token)
      throws IOException {
    return start(file, data, to, token, Map.of());
  }

  static CollectorProcess start(
      Path file, Path data, String to, String token, Map<String, String> environment)
      throws IOException {
    var text = Files.readString(file);
    var settings = new Settings(Settings.read(file).config(), Settings.hash(text));
    var http = HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(2)).build();
    var said = new ByteArrayOutputStream();
    var before = System.err;
    System.setErr(new PrintStream(said, true, StandardCharsets.UTF_8));
    var agent = new Agent(settings, to, token, data, http, new Environment(environment));
    return new CollectorProcess(agent, said, before);
  }

  /** How often an input was read. */
  public long readings(String input) {
    return agent.readings(input);
  }

  /** Whether nothing waits. */
  public boolean isSent() {
    return agent.isSent();
  }

  /** What it printed. */
  public String told() {
    return said.toString(StandardCharsets.UTF_8);
  }

  @Override
  public void close() throws InterruptedException {
    agent.stop();
    thread.join();
    agent.close();
    System.setErr(before);
  }
}
