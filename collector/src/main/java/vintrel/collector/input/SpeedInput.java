package vintrel.collector.input;

import java.io.IOException;
import java.io.InputStream;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;
import java.util.function.UnaryOperator;
import vintrel.collector.Input;
import vintrel.collector.InputException;
import vintrel.collector.Reading;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.collect.ScrapeDiagnosis;

/** How fast an address is read and written: bytes until a limit or the timeout, by their time. */
public final class SpeedInput implements Input {
  private final HttpClient http;
  private final CollectorConfig.Input input;
  private final CollectorConfig.Speed source;
  private final UnaryOperator<String> environment;

  public SpeedInput(
      HttpClient http,
      CollectorConfig.Input input,
      CollectorConfig.Speed source,
      UnaryOperator<String> environment) {
    this.http = http;
    this.input = input;
    this.source = source;
    this.environment = environment;
  }

  @Override
  public List<Reading> read() throws InputException {
    var labels = new TreeMap<>(input.labels());
    labels.put("speed", input.name());
    var out = new ArrayList<Reading>();
    try {
      if (!source.download().isEmpty()) {
        out.add(Reading.gauge("net.speed.download", "By/s", download(), labels));
      }
      if (!source.upload().isEmpty()) {
        out.add(Reading.gauge("net.speed.upload", "By/s", upload(), labels));
      }
    } catch (IOException | IllegalArgumentException e) {
      throw new InputException(ScrapeDiagnosis.ofFault(e, input.timeout()));
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new InputException("stopped");
    }
    return out;
  }

  private HttpRequest.Builder request(String url) {
    return HttpRequest.newBuilder(URI.create(environment.apply(url)))
        .timeout(Duration.ofMillis(input.timeout()))
        .header("User-Agent", "vintrel-collector");
  }

  /** Bytes per second from the first byte on. */
  private double download() throws IOException, InterruptedException, InputException {
    var answer =
        http.send(request(source.download()).build(), HttpResponse.BodyHandlers.ofInputStream());
    try (var body = answer.body()) {
      need(answer.statusCode());
      long end = System.nanoTime() + input.timeout() * 1_000_000;
      long started = System.nanoTime();
      var buffer = new byte[65_536];
      long bytes = 0;
      int n;
      while (bytes < source.maxBytes()
          && System.nanoTime() < end
          && (n = body.read(buffer, 0, (int) Math.min(buffer.length, source.maxBytes() - bytes)))
              > 0) {
        bytes += n;
      }
      return bytes / Math.max(1e-6, (System.nanoTime() - started) / 1e9);
    }
  }

  private static void need(int status) throws InputException {
    if (status / 100 != 2) {
      throw new InputException("the address returned HTTP " + status);
    }
  }

  private double upload() throws IOException, InterruptedException, InputException {
    long started = System.nanoTime();
    var body = HttpRequest.BodyPublishers.ofInputStream(() -> new Zeros(source.maxBytes()));
    var answer =
        http.send(
            request(source.upload()).POST(body).build(), HttpResponse.BodyHandlers.discarding());
    need(answer.statusCode());
    return source.maxBytes() / Math.max(1e-6, (System.nanoTime() - started) / 1e9);
  }

  private static final class Zeros extends InputStream {
    private long left;

    Zeros(long bytes) {
      left = bytes;
    }

    @Override
    public int read() {
      return left-- > 0 ? 0 : -1;
    }

    @Override
    public int read(byte[] into, int at, int length) {
      if (left <= 0) {
        return -1;
      }
      int n = (int) Math.min(length, left);
      java.util.Arrays.fill(into, at, at + n, (byte) 0);
      left -= n;
      return n;
    }
  }
}
