package vintrel.server.ask;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.time.Instant;
import java.util.List;
import org.apache.commons.csv.CSVFormat;
import org.apache.commons.csv.CSVPrinter;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.store.MemoryClaim;
import vintrel.core.wire.CsvText;

/** Frames as CSV (RFC 4180); several are parted by an empty line. Times as ISO 8601 in UTC. */
public final class FrameCsv {
  private static final long MAX_CELLS = 2_000_000;

  /** Bytes of a cell's text, while it is written and as it is sent. */
  private static final int CELL = 60;

  private FrameCsv() {}

  /**
   * Frames as a file to download.
   *
   * @param memory asked for the text
   */
  public static ResponseEntity<String> file(String name, List<Frame> frames, MemoryClaim memory) {
    return ResponseEntity.ok()
        .contentType(MediaType.parseMediaType("text/csv; charset=utf-8"))
        .header(
            "Content-Disposition",
            "attachment; filename=" + name.replaceAll("[^A-Za-z0-9._-]", "-"))
        .body(of(frames, memory));
  }

  /**
   * @param memory asked for the text
   * @throws QueryException with code {@code limit.values} if they are too many for one text
   */
  static String of(List<Frame> frames, MemoryClaim memory) {
    long cells = frames.stream().mapToLong(f -> (long) f.rows() * f.columns().size()).sum();
    if (cells > MAX_CELLS) {
      throw new QueryException(
          "limit.values",
          "the result has %,d cells; a CSV can have %,d. Use wider buckets or a shorter range"
              .formatted(cells, MAX_CELLS),
          0,
          0);
    }
    memory.take(cells * CELL + 2 * frames.stream().mapToLong(Frame::bytes).sum());
    var out = new StringBuilder();
    try (var csv = new CSVPrinter(out, CSVFormat.RFC4180)) {
      for (int f = 0; f < frames.size(); f++) {
        if (f > 0) {
          csv.println();
        }
        var frame = frames.get(f);
        csv.printRecord(frame.names().stream().map(CsvText::written).toList());
        for (int i = 0; i < frame.rows(); i++) {
          int row = i;
          csv.printRecord(frame.columns().stream().map(c -> cell(c, row)).toList());
        }
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return out.toString();
  }

  private static String cell(Column c, int row) {
    return switch (c) {
      case Column.Time t ->
          t.values()[row] == Long.MIN_VALUE ? "" : Instant.ofEpochMilli(t.values()[row]).toString();
      case Column.Number n -> {
        double v = n.values()[row];
        yield !Double.isFinite(v) ? "" : v == (long) v ? Long.toString((long) v) : "" + v;
      }
      case Column.Text t -> CsvText.written(t.values()[row]);
    };
  }
}
