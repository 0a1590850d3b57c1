package vintrel.core.event;

import java.nio.BufferUnderflowException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.TreeMap;
import java.util.zip.CRC32C;
import java.util.zip.DataFormatException;
import java.util.zip.Deflater;
import java.util.zip.Inflater;
import vintrel.core.chunk.DamagedChunkException;
import vintrel.core.chunk.Leb128;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;

/**
 * Records of one store as bytes: a version, the count, three parts, each deflated by itself (RFC
 * 1951) behind its two lengths, and a CRC32C of all before it.
 *
 * <ul>
 *   <li>Heads: the first time and id (8 bytes each), then column by column distances between times,
 *       zigzag distances between ids, levels, a dictionary of label sets and each record's place in
 *       it; whole numbers as LEB128.
 *   <li>Texts: their lengths in bytes, then all of them as UTF-8.
 *   <li>Fields: the same.
 * </ul>
 *
 * Heads are unpacked at once, texts and fields when the first of them is needed.
 */
public final class EventBlock implements Records {
  private static final byte VERSION = 1;
  private static final int PARTS = 3;
  private static final int MAX_RAW = 64 << 20;

  private final int count;
  private final byte[] data;
  private final int[] starts = new int[PARTS];
  private final int[] raw = new int[PARTS];
  private final int[] packed = new int[PARTS];
  private final long[] times;
  private final long[] ids;
  private final byte[] levels;
  private final List<Labels> labelSets = new ArrayList<>();
  private final int[] labels;
  private Texts texts;
  private Texts fields;

  private EventBlock(byte[] data) {
    this.data = data;
    var in = ByteBuffer.wrap(data, 0, data.length - 4);
    if (in.get() != VERSION) {
      throw new DamagedChunkException("a block of records of an unknown version");
    }
    count = (int) Leb128.get(in);
    for (int p = 0; p < PARTS; p++) {
      raw[p] = (int) Leb128.get(in);
      packed[p] = (int) Leb128.get(in);
      if (raw[p] < 0 || raw[p] > MAX_RAW || packed[p] < 0) {
        throw new DamagedChunkException("a part of a block of records has no sensible length");
      }
    }
    int at = in.position();
    for (int p = 0; p < PARTS; p++) {
      starts[p] = at;
      at += packed[p];
    }
    var heads = ByteBuffer.wrap(part(0));
    times = new long[count];
    ids = new long[count];
    levels = new byte[count];
    labels = new int[count];
    heads(heads);
  }

  private void heads(ByteBuffer in) {
    long time = in.getLong();
    long id = in.getLong();
    for (int i = 0; i < count; i++) {
      time += Leb128.get(in);
      times[i] = time;
    }
    for (int i = 0; i < count; i++) {
      id += Leb128.unzigzag(Leb128.get(in));
      ids[i] = id;
    }
    in.get(levels);
    for (long n = Leb128.get(in); n > 0; n--) {
      var set = new TreeMap<String, String>();
      for (long k = Leb128.get(in); k > 0; k--) {
        set.put(string(in), string(in));
      }
      labelSets.add(Labels.of(set));
    }
    for (int i = 0; i < count; i++) {
      labels[i] = (int) Leb128.get(in);
    }
  }

  /**
   * Packs records of one store.
   *
   * @param events by rising time, one at least
   */
  public static byte[] encode(List<Event> events) {
    byte[][] raw = {
      heads(events),
      texts(events.stream().map(Event::text).toList()),
      texts(events.stream().map(Event::fields).toList())
    };
    var out = new Bytes();
    out.put(VERSION);
    out.unsigned(events.size());
    byte[][] packed = new byte[PARTS][];
    for (int p = 0; p < PARTS; p++) {
      packed[p] = deflated(raw[p]);
      out.unsigned(raw[p].length);
      out.unsigned(packed[p].length);
    }
    for (var part : packed) {
      out.put(part);
    }
    var sum = new CRC32C();
    sum.update(out.bytes(), 0, out.size());
    out.int4((int) sum.getValue());
    return out.toArray();
  }

  /**
   * Opens a block; texts and fields are unpacked when they are needed.
   *
   * @throws DamagedChunkException if the bytes are not a block
   */
  public static EventBlock open(byte[] data) {
    if (data.length < 8) {
      throw new DamagedChunkException("too short for a block of records");
    }
    var sum = new CRC32C();
    sum.update(data, 0, data.length - 4);
    if ((int) sum.getValue() != ByteBuffer.wrap(data).getInt(data.length - 4)) {
      throw new DamagedChunkException("checksum mismatch in an event block");
    }
    try {
      return new EventBlock(data);
    } catch (BufferUnderflowException | IndexOutOfBoundsException e) {
      throw new DamagedChunkException("a block of records ends too early");
    }
  }

  /** Whether all of a block can be unpacked. */
  public static boolean sound(byte[] data) {
    try {
      var block = open(data);
      block.text(0);
      block.fields(0);
      return true;
    } catch (DamagedChunkException e) {
      return false;
    }
  }

  private static byte[] heads(List<Event> events) {
    var out = new Bytes();
    long time = events.getFirst().time();
    long id = events.getFirst().id();
    out.int8(time);
    out.int8(id);
    for (var e : events) {
      out.unsigned(e.time() - time);
      time = e.time();
    }
    for (var e : events) {
      long d = e.id() - id;
      out.unsigned(Leb128.zigzag(d));
      id = e.id();
    }
    var known = new LinkedHashMap<Labels, Integer>();
    for (var e : events) {
      out.put((byte) Records.code(e.level()));
      known.computeIfAbsent(e.labels(), k -> known.size());
    }
    out.unsigned(known.size());
    for (var set : known.keySet()) {
      var pairs = set.asMap();
      out.unsigned(pairs.size());
      pairs.forEach(
          (name, value) -> {
            out.string(name);
            out.string(value);
          });
    }
    for (var e : events) {
      out.unsigned(known.get(e.labels()));
    }
    return out.toArray();
  }

  private static byte[] texts(List<String> all) {
    var lengths = new Bytes();
    var words = new Bytes();
    for (var text : all) {
      var bytes = text.getBytes(StandardCharsets.UTF_8);
      lengths.unsigned(bytes.length);
      words.put(bytes);
    }
    lengths.put(words.toArray());
    return lengths.toArray();
  }

  @Override
  public int count() {
    return count;
  }

  @Override
  public long id(int i) {
    return ids[i];
  }

  @Override
  public long time(int i) {
    return times[i];
  }

  @Override
  public int level(int i) {
    return levels[i];
  }

  @Override
  public List<Labels> labelSets() {
    return labelSets;
  }

  @Override
  public int labels(int i) {
    return labels[i];
  }

  @Override
  public String text(int i) {
    if (texts == null) {
      texts = new Texts(part(1), count);
    }
    return texts.get(i);
  }

  @Override
  public String fields(int i) {
    if (fields == null) {
      fields = new Texts(part(2), count);
    }
    return fields.get(i);
  }

  /** Texts of one part, by their ends. */
  private static final class Texts {
    private final byte[] bytes;
    private final int[] ends;
    private final int start;

    Texts(byte[] part, int count) {
      bytes = part;
      ends = new int[count];
      var in = ByteBuffer.wrap(part);
      int total = 0;
      for (int i = 0; i < count; i++) {
        total += (int) Leb128.get(in);
        ends[i] = total;
      }
      start = in.position();
    }

    String get(int i) {
      int a = i == 0 ? 0 : ends[i - 1];
      return new String(bytes, start + a, ends[i] - a, StandardCharsets.UTF_8);
    }
  }

  private static byte[] deflated(byte[] raw) {
    try (var deflater = new Deflater(Deflater.DEFAULT_COMPRESSION, true)) {
      deflater.setInput(raw);
      deflater.finish();
      var out = new Bytes();
      var some = new byte[1 << 16];
      while (!deflater.finished()) {
        out.put(some, deflater.deflate(some));
      }
      return out.toArray();
    }
  }

  private byte[] part(int p) {
    try (var inflater = new Inflater(true)) {
      inflater.setInput(data, starts[p], packed[p]);
      var out = new byte[raw[p]];
      int n = 0;
      while (n < out.length) {
        int more = inflater.inflate(out, n, out.length - n);
        if (more == 0) {
          throw new DamagedChunkException("a part of a block of records ends too early");
        }
        n += more;
      }
      return out;
    } catch (DataFormatException e) {
      throw new DamagedChunkException("a part of a block of records can't be unpacked");
    }
  }

  private static String string(ByteBuffer in) {
    var bytes = new byte[(int) Leb128.get(in)];
    in.get(bytes);
    return new String(bytes, StandardCharsets.UTF_8);
  }
}
