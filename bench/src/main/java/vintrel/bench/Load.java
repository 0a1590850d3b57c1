package vintrel.bench;

import com.google.protobuf.CodedOutputStream;
import java.io.BufferedReader;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;

/** Sends a file of samples (series number, ms, value) as OTLP requests. */
final class Load {
  private static final int AT_ONCE = 60_000;

  private final String[] metrics;

  Load(String[] metrics) {
    this.metrics = metrics;
  }

  /** Seconds until the last sample is durable, without the time to write the requests. */
  double send(Path csv) throws IOException, InterruptedException {
    double seconds = 0;
    try (BufferedReader in = Files.newBufferedReader(csv)) {
      var lines = new ArrayList<String>();
      for (var line = in.readLine(); line != null; line = in.readLine()) {
        lines.add(line);
        if (lines.size() == AT_ONCE) {
          seconds += post(lines);
          lines.clear();
        }
      }
      return seconds + post(lines);
    }
  }

  private double post(List<String> lines) throws IOException, InterruptedException {
    var body = request(lines);
    long started = System.nanoTime();
    var answer = Vintrel.post("/v1/metrics", "application/x-protobuf", body);
    if (answer.statusCode() != 200) {
      throw new IOException("refused: " + answer.statusCode());
    }
    return (System.nanoTime() - started) / 1e9;
  }

  private byte[] request(List<String> lines) throws IOException {
    int n = metrics.length;
    var points = new ByteArrayOutputStream[n];
    var outs = new CodedOutputStream[n];
    for (int m = 0; m < n; m++) {
      points[m] = new ByteArrayOutputStream();
      outs[m] = CodedOutputStream.newInstance(points[m]);
    }
    for (var line : lines) {
      int a = line.indexOf(',');
      int b = line.indexOf(',', a + 1);
      int id = Integer.parseInt(line.substring(0, a));
      byte[] attribute = attribute("host", "h" + id / n);
      var out = outs[id % n];
      out.writeTag(1, 2);
      out.writeUInt32NoTag(attribute.length + 2 + 18);
      out.writeByteArray(7, attribute);
      out.writeFixed64(3, Long.parseLong(line.substring(a + 1, b)) * 1_000_000);
      out.writeDouble(4, Double.parseDouble(line.substring(b + 1)));
    }
    var scope = new ByteArrayOutputStream();
    var scopeOut = CodedOutputStream.newInstance(scope);
    for (int m = 0; m < n; m++) {
      if (Data.counter(m)) {
        outs[m].writeEnum(2, 2);
        outs[m].writeBool(3, true);
      }
      outs[m].flush();
      var metric = new ByteArrayOutputStream();
      var out = CodedOutputStream.newInstance(metric);
      out.writeString(1, metrics[m]);
      out.writeByteArray(Data.counter(m) ? 7 : 5, points[m].toByteArray());
      out.flush();
      scopeOut.writeByteArray(2, metric.toByteArray());
    }
    scopeOut.flush();
    return wrap(1, wrap(2, scope.toByteArray()));
  }

  static byte[] wrap(int field, byte[] content) throws IOException {
    var bytes = new ByteArrayOutputStream();
    var out = CodedOutputStream.newInstance(bytes);
    out.writeByteArray(field, content);
    out.flush();
    return bytes.toByteArray();
  }

  static byte[] attribute(String name, String value) throws IOException {
    var bytes = new ByteArrayOutputStream();
    var out = CodedOutputStream.newInstance(bytes);
    out.writeString(1, name);
    var inner = new ByteArrayOutputStream();
    var innerOut = CodedOutputStream.newInstance(inner);
    innerOut.writeString(1, value);
    innerOut.flush();
    out.writeByteArray(2, inner.toByteArray());
    out.flush();
    return bytes.toByteArray();
  }
}
