package vintrel.core.store;

import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.List;
import vintrel.core.chunk.Leb128;

/**
 * Batches ↔ journal payloads: for each sample the series id and the time as zigzag differences from
 * the sample before (varints), then the value's eight bytes. Cheap to write, and small enough; a
 * payload lives only until its samples are in chunks.
 */
public final class JournalCodec {
  /** No payload is longer; the database keeps rows of this size inline. */
  public static final int MAX_BYTES = 700_000;

  private static final int MAX_A_SAMPLE = 5 + 10 + 8;

  private JournalCodec() {}

  public static List<byte[]> encode(SampleBatch batch) {
    var out = new ArrayList<byte[]>();
    var buffer = ByteBuffer.allocate(Math.min(MAX_BYTES, batch.size() * MAX_A_SAMPLE));
    long id = 0;
    long time = 0;
    for (int i = 0; i < batch.size(); i++) {
      if (buffer.remaining() < MAX_A_SAMPLE) {
        out.add(taken(buffer));
        id = 0;
        time = 0;
      }
      Leb128.put(buffer, Leb128.zigzag(batch.series(i) - id));
      Leb128.put(buffer, Leb128.zigzag(batch.time(i) - time));
      buffer.putLong(Double.doubleToRawLongBits(batch.value(i)));
      id = batch.series(i);
      time = batch.time(i);
    }
    if (buffer.position() > 0) {
      out.add(taken(buffer));
    }
    return out;
  }

  public static SampleBatch decode(byte[] payload) {
    var batch = new SampleBatch();
    var in = ByteBuffer.wrap(payload);
    long id = 0;
    long time = 0;
    while (in.hasRemaining()) {
      id += Leb128.unzigzag(Leb128.get(in));
      time += Leb128.unzigzag(Leb128.get(in));
      batch.add((int) id, time, Double.longBitsToDouble(in.getLong()));
    }
    return batch;
  }

  private static byte[] taken(ByteBuffer buffer) {
    var bytes = new byte[buffer.flip().remaining()];
    buffer.get(bytes).clear();
    return bytes;
  }
}
