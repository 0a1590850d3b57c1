package vintrel.core.wire;

import java.io.Closeable;
import java.io.IOException;
import vintrel.core.chunk.Samples;
import vintrel.core.series.Series;

/** Writes samples in an exchange format; series of one metric must follow each other. */
public interface SampleWriter extends Closeable {
  void write(Series series, Samples samples) throws IOException;

  /** Ends the document; the writer below is flushed, not closed. */
  @Override
  void close() throws IOException;
}
