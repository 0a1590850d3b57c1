package vintrel.core.wire;

import java.io.IOException;
import java.io.Reader;
import java.io.UncheckedIOException;
import java.io.Writer;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import org.apache.commons.csv.CSVException;
import org.apache.commons.csv.CSVFormat;
import org.apache.commons.csv.CSVPrinter;
import org.apache.commons.csv.CSVRecord;
import vintrel.core.chunk.Samples;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.unit.TimeText;

/**
 * Samples as CSV (RFC 4180), a sample a row. The first row names the columns: metric, time (ISO
 * 8601, or ms since the epoch; an empty field: now) and value are needed, kind and unit may be
 * there; every other column is a label, absent if its field is empty.
 */
public final class CsvSamples {
  private static final List<String> OWN = List.of("metric", "kind", "unit", "time", "value");

  private static final int MAX_LABELS = 1_000;

  /** Series whose ids are remembered. */
  private static final int MAX_KNOWN = 100_000;

  private CsvSamples() {}

  /**
   * Reads a document; a row that can't be read is refused with its number, the rest is taken.
   *
   * @param now ms, for rows without a time and for times such as -6h
   * @throws WireException if a column is missing
   */
  public static void read(Reader text, SampleSink intake, long now) throws IOException {
    var format = CSVFormat.RFC4180.builder().setHeader().setSkipHeaderRecord(true).get();
    var bounded = new BoundedReader(text);
    try (var parser = format.parse(bounded)) {
      for (var needed : List.of("metric", "time", "value")) {
        if (!parser.getHeaderMap().containsKey(needed)) {
          throw new WireException(
              "the first row must contain the column "
                  + needed
                  + "; it has "
                  + parser.getHeaderNames());
        }
      }
      var labels = parser.getHeaderNames().stream().filter(n -> !OWN.contains(n)).toList();
      var known = new HashMap<List<String>, Integer>();
      var at = Instant.ofEpochMilli(now);
      if (labels.size() > MAX_LABELS) {
        throw new WireException("the first row names more than " + MAX_LABELS + " labels");
      }
      for (var row : parser) {
        bounded.mark();
        try {
          row(row, labels, known, intake, at);
        } catch (IllegalArgumentException e) {
          intake.refuse(1, "row " + (row.getRecordNumber() + 1) + ": " + e.getMessage());
        }
        if (known.size() > MAX_KNOWN) {
          known.clear();
        }
      }
    } catch (IllegalArgumentException | IllegalStateException | UncheckedIOException e) {
      throw new WireException("this is no CSV: " + e.getMessage());
    } catch (CSVException e) {
      throw new WireException("this is no CSV: " + e.getMessage());
    }
  }

  private static void row(
      CSVRecord row,
      List<String> labels,
      Map<List<String>, Integer> known,
      SampleSink intake,
      Instant now) {
    if (!row.isConsistent()) {
      throw new IllegalArgumentException("has " + row.size() + " fields");
    }
    double value = number(row.get("value"));
    long time = TimeText.parse(row.get("time"), now, ZoneOffset.UTC);
    var identity = new java.util.ArrayList<String>();
    identity.add(row.get("metric"));
    labels.forEach(l -> identity.add(row.get(l)));
    var id = known.get(identity);
    if (id == null) {
      id = series(row, labels, intake);
      if (id >= 0) {
        known.put(identity, id);
      }
    }
    intake.sample(id, time, value);
  }

  private static double number(String text) {
    try {
      return Double.parseDouble(text);
    } catch (NumberFormatException e) {
      throw new IllegalArgumentException("value must be a number, not '" + text + "'");
    }
  }

  private static int series(CSVRecord row, List<String> labels, SampleSink intake) {
    if (row.get("metric").isBlank()) {
      throw new IllegalArgumentException("metric is missing");
    }
    var map = new TreeMap<String, String>();
    for (var l : labels) {
      if (!row.get(l).isEmpty()) {
        map.put(CsvText.read(l), CsvText.read(row.get(l)));
      }
    }
    var kind = MetricKind.GAUGE;
    if (row.isMapped("kind") && !row.get("kind").isEmpty()) {
      kind = MetricKind.valueOf(row.get("kind").toUpperCase(Locale.ROOT));
    }
    var unit = row.isMapped("unit") ? CsvText.read(row.get("unit")) : "";
    return intake.series(
        new SeriesKey(CsvText.read(row.get("metric")), Labels.of(map)), kind, unit);
  }

  /**
   * A writer whose first row names the labels of all series that will come.
   *
   * @param labels names of labels
   */
  public static SampleWriter writer(Writer out, LinkedHashSet<String> labels) throws IOException {
    var header = new java.util.ArrayList<>(OWN);
    labels.forEach(l -> header.add(CsvText.written(l)));
    var printer = new CSVPrinter(out, CSVFormat.RFC4180);
    printer.printRecord(header);
    return new SampleWriter() {
      @Override
      public void write(Series s, Samples samples) throws IOException {
        var row = new Object[header.size()];
        row[0] = CsvText.written(s.metric());
        row[1] = s.kind().text();
        row[2] = CsvText.written(s.unit());
        int at = OWN.size();
        for (var l : labels) {
          row[at++] = CsvText.written(s.labels().get(l));
        }
        for (int i = 0; i < samples.count(); i++) {
          row[3] = Instant.ofEpochMilli(samples.times()[i]);
          row[4] = samples.values()[i];
          printer.printRecord(row);
        }
      }

      @Override
      public void close() throws IOException {
        printer.flush();
      }
    };
  }
}
