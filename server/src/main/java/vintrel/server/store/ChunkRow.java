package vintrel.server.store;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import vintrel.core.chunk.ChunkSummary;
import vintrel.core.chunk.ChunkWriter;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.chunk.SummaryCodec;
import vintrel.core.store.Tier;

/** Encoded samples of one series; not sealed while later samples may still replace the row. */
@Entity(name = "Chunk")
@Table(name = "chunk")
class ChunkRow {
  @Id long id;

  @Column(name = "series_id")
  int seriesId;

  /** 0 for raw samples, else the code of a tier. */
  int tier;

  @Column(name = "start_time")
  long startTime;

  @Column(name = "end_time")
  long endTime;

  @Column(name = "sample_count")
  int sampleCount;

  double least;
  double greatest;
  double total;

  @Column(name = "first_value")
  double firstValue;

  @Column(name = "last_value")
  double lastValue;

  boolean sealed;

  /** The typical interval of the series when the row was written, as the heads need it; ms. */
  @Column(name = "typical_interval")
  long interval;

  @Column(length = 1000000)
  byte[] data;

  static ChunkRow of(
      long id, int series, Samples samples, boolean sealed, long interval, ChunkWriter writer) {
    var summary = ChunkSummary.of(samples);
    var row = new ChunkRow();
    row.id = id;
    row.seriesId = series;
    row.startTime = summary.start();
    row.endTime = summary.end();
    row.sampleCount = summary.count();
    row.least = summary.min();
    row.greatest = summary.max();
    row.total = summary.sum();
    row.firstValue = summary.first();
    row.lastValue = summary.last();
    row.sealed = sealed;
    row.interval = interval;
    row.data = writer.encode(samples);
    return row;
  }

  /** The summary in a row of raw samples. */
  ChunkSummary summary() {
    return new ChunkSummary(
        startTime, endTime, sampleCount, least, greatest, total, firstValue, lastValue);
  }

  /** A window of a tier; the window's own ends replace those of its samples. */
  static ChunkRow of(long id, int series, Tier tier, long window, Summaries s) {
    var row = new ChunkRow();
    row.id = id;
    row.seriesId = series;
    row.tier = tier.code();
    row.startTime = window;
    row.endTime = window + tier.window() - 1;
    for (int i = 0; i < s.count; i++) {
      row.sampleCount += (int) s.counts[i];
    }
    row.firstValue = s.first[0];
    row.lastValue = s.last[s.count - 1];
    row.sealed = true;
    row.data = SummaryCodec.encode(s, tier.pitch());
    return row;
  }
}
