package vintrel.core.store;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.util.ArrayList;
import java.util.Arrays;
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

  private static final VarHandle LONG =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.BIG_ENDIAN);

  private JournalCodec() {}

  public static List<ByteBuffer> encode(SampleBatch batch) {
    var out = new ArrayList<ByteBuffer>();
    var bytes = new byte[Math.min(MAX_BYTES, batch.size() * MAX_A_SAMPLE)];
    int at = 0;
    long id = 0;
    long time = 0;
    for (int i = 0; i < batch.size(); i++) {
      if (bytes.length - at < MAX_A_SAMPLE) {
        out.add(ByteBuffer.wrap(Arrays.copyOf(bytes, at)));
        at = 0;
        id = 0;
        time = 0;
      }
      at = Leb128.put(bytes, at, Leb128.zigzag(batch.series(i) - id));
      at = Leb128.put(bytes, at, Leb128.zigzag(batch.time(i) - time));
      LONG.set(bytes, at, Double.doubleToRawLongBits(batch.value(i)));
      at += Long.BYTES;
      id = batch.series(i);
      time = batch.time(i);
    }
    if (at > 0) {
      out.add(ByteBuffer.wrap(bytes, 0, at));
    }
    return out;
  }

  /**
   * @throws vintrel.core.chunk.DamagedChunkException if the payload ends within a number
   */
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
}
