package vintrel.demo;

import com.google.protobuf.CodedOutputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;

/** Builds OTLP metrics requests; field numbers as in opentelemetry/proto/metrics/v1. */
final class OtlpWriter {
  private static final Map<String, String> NOTES =
      Map.of(
          "scan.attempts", "Ticket scans at the gates, by result",
          "bookings.made", "Seats booked on the web and at the quay",
          "deck.load", "Weight on the car deck, from the load cells",
          "engine.temperature", "Cooling water at the engine's outlet",
          "host.cpu.busy", "CPU time in use",
          "payments.duration", "Response time of the bank",
          "queue.length", "Messages that wait in the broker",
          "process.start.time", "Start time of the instance, seconds since 1970");

  private record Head(String metric, String unit, Signal.Kind kind) {}

  private record Point(byte[] attributes, long began, long time, double value) {}

  private final Map<Head, List<Point>> metrics = new LinkedHashMap<>();
  private final Map<Signal, byte[]> attributes = new java.util.IdentityHashMap<>();

  void add(Signal signal, long time, double value) {
    metrics
        .computeIfAbsent(new Head(signal.metric, signal.unit, signal.kind), k -> new ArrayList<>())
        .add(
            new Point(
                attributes.computeIfAbsent(signal, OtlpWriter::encode),
                signal.began(),
                time,
                value));
  }

  int points() {
    return metrics.values().stream().mapToInt(List::size).sum();
  }

  private static byte[] encode(Signal signal) {
    return built(
        out -> {
          for (var e : new TreeMap<>(signal.labels).entrySet()) {
            var value = built(v -> v.writeString(1, e.getValue()));
            out.writeByteArray(
                7,
                built(
                    pair -> {
                      pair.writeString(1, otlpName(e.getKey()));
                      pair.writeByteArray(2, value);
                    }));
          }
        });
  }

  private static String otlpName(String label) {
    return switch (label) {
      case "host" -> "host.name";
      case "service" -> "service.name";
      case "instance" -> "service.instance.id";
      default -> label;
    };
  }

  /** The request; the writer is empty afterwards. */
  byte[] take() {
    var scope =
        built(
            out -> {
              for (var e : metrics.entrySet()) {
                out.writeByteArray(2, metric(e.getKey(), e.getValue()));
              }
            });
    metrics.clear();
    var resource = built(out -> out.writeByteArray(2, scope));
    return built(out -> out.writeByteArray(1, resource));
  }

  private static byte[] metric(Head head, List<Point> points) {
    boolean counter = head.kind() == Signal.Kind.COUNTER;
    var data =
        built(
            out -> {
              for (var p : points) {
                out.writeTag(1, 2);
                boolean started = counter && p.began() > 0;
                out.writeUInt32NoTag(p.attributes().length + (started ? 27 : 18));
                out.writeRawBytes(p.attributes());
                if (started) {
                  out.writeFixed64(2, p.began() * 1_000_000);
                }
                out.writeFixed64(3, p.time() * 1_000_000);
                out.writeDouble(4, p.value());
              }
              if (counter) {
                out.writeEnum(2, 2);
                out.writeBool(3, true);
              }
            });
    return built(
        out -> {
          out.writeString(1, head.metric());
          if (NOTES.containsKey(head.metric())) {
            out.writeString(2, NOTES.get(head.metric()));
          }
          out.writeString(3, head.unit());
          out.writeByteArray(counter ? 7 : 5, data);
        });
  }

  private interface Content {
    void write(CodedOutputStream out) throws IOException;
  }

  private static byte[] built(Content content) {
    var bytes = new ByteArrayOutputStream();
    var out = CodedOutputStream.newInstance(bytes, 1 << 16);
    try {
      content.write(out);
      out.flush();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return bytes.toByteArray();
  }
}
