package vintrel.core.wire;

import java.io.IOException;
import java.io.Writer;
import java.util.regex.Pattern;
import vintrel.core.chunk.Samples;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;

/**
 * Samples as OpenMetrics text with time stamps. Names with other characters than the standard's
 * first version knows are quoted inside the braces. Units are written as UCUM codes.
 */
public final class OpenMetricsWriter implements SampleWriter {
  private static final Pattern PLAIN = Pattern.compile("[a-zA-Z_:][a-zA-Z0-9_:]*");
  private static final Pattern PLAIN_LABEL = Pattern.compile("[a-zA-Z_][a-zA-Z0-9_]*");

  private final Writer out;
  private String metric = "";

  public OpenMetricsWriter(Writer out) {
    this.out = out;
  }

  @Override
  public void write(Series series, Samples samples) throws IOException {
    boolean plain = PLAIN.matcher(series.metric()).matches();
    var name = plain ? series.metric() : quote(series.metric());
    if (!series.metric().equals(metric)) {
      metric = series.metric();
      out.write("# TYPE " + name + " " + type(series.kind()) + "\n");
      if (!series.unit().isEmpty()) {
        out.write("# UNIT " + name + " " + series.unit() + "\n");
      }
    }
    var head = new StringBuilder(plain ? name : "{" + name);
    for (int i = 0; i < series.labels().size(); i++) {
      head.append(i > 0 || !plain ? "," : "{");
      var label = series.labels().name(i);
      head.append(PLAIN_LABEL.matcher(label).matches() ? label : quote(label))
          .append('=')
          .append(quote(series.labels().value(i)));
    }
    head.append(plain && series.labels().size() == 0 ? " " : "} ");
    for (int i = 0; i < samples.count(); i++) {
      out.append(head)
          .append(number(samples.values()[i]))
          .append(' ')
          .append(seconds(samples.times()[i]))
          .append('\n');
    }
  }

  @Override
  public void close() throws IOException {
    out.write("# EOF\n");
    out.flush();
  }

  private static String type(MetricKind kind) {
    return kind == MetricKind.STATE ? "stateset" : kind.text();
  }

  private static String quote(String text) {
    return '"' + text.replace("\\", "\\\\").replace("\"", "\\\"").replace("\n", "\\n") + '"';
  }

  private static String number(double v) {
    return Double.isInfinite(v) ? v > 0 ? "+Inf" : "-Inf" : Double.toString(v);
  }

  private static String seconds(long millis) {
    return "%d.%03d".formatted(Math.floorDiv(millis, 1000), Math.floorMod(millis, 1000));
  }
}
