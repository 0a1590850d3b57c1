package vintrel.core.chunk;

/**
 * Samples of one series ↔ bytes.
 *
 * <p>Layout of version 1: version (1 byte), value encoding (1 byte), count (varint), times as
 * {@link IntegerBlocks}, values as {@link ValueBlocks}, CRC-32C of all before (4 bytes,
 * little-endian). The value encoding is chosen for the chunk by what the data is.
 */
public final class ChunkCodec {
  /** Samples after which a head is sealed; 120 to 4,096 hardly change the bytes a sample. */
  public static final int FULL = 512;

  /** The most samples that a chunk may hold. */
  public static final int MAX = 1 << 20;

  private static final int VERSION = 1;

  private ChunkCodec() {}

  /**
   * Encodes 1 to {@link #MAX} samples.
   *
   * @throws IllegalArgumentException if times do not rise strictly or the count is out of range
   */
  public static byte[] encode(Samples s) {
    return encode(s, new Scratch());
  }

  static byte[] encode(Samples s, Scratch scratch) {
    int n = s.count();
    if (n < 1 || n > MAX) {
      throw new IllegalArgumentException("a chunk holds 1 to " + MAX + " samples, not " + n);
    }
    for (int i = 1; i < n; i++) {
      if (s.times()[i] <= s.times()[i - 1]) {
        throw new IllegalArgumentException(
            "times must be strictly increasing; they are not at sample " + i);
      }
    }
    var out = new Bits(n * 3 + 32);
    out.putByte(VERSION);
    int choice = ValueBlocks.choose(s.values(), n);
    out.putByte(choice & 15);
    out.putVarint(n);
    IntegerBlocks.write(out, s.times(), n, scratch);
    ValueBlocks.write(out, choice, s.values(), n, scratch);
    return Checked.seal(out);
  }

  /**
   * Decodes what {@link #encode} wrote.
   *
   * @throws DamagedChunkException if the checksum, the version or the content is wrong
   */
  public static Samples decode(byte[] bytes) {
    var in = Checked.open(bytes);
    int version = in.getByte();
    if (version != VERSION) {
      throw new DamagedChunkException("unknown version " + version);
    }
    try {
      return decodeBody(in);
    } catch (IndexOutOfBoundsException e) {
      throw new DamagedChunkException("unexpected end of data");
    }
  }

  private static Samples decodeBody(Bits in) {
    int encoding = in.getByte();
    long n = in.getVarint();
    if (n < 1 || n > MAX) {
      throw new DamagedChunkException("a count of " + n);
    }
    int count = (int) n;
    var times = new long[count];
    var values = new double[count];
    IntegerBlocks.read(in, times, count);
    ValueBlocks.read(in, encoding, values, count);
    return new Samples(times, values, count);
  }
}
