package vintrel.core.chunk;

import java.util.Arrays;
import java.util.zip.CRC32C;

/** Bytes with a CRC-32C behind them (4 bytes, little-endian). */
public final class Checked {
  private static final int SIZE = 4;

  private Checked() {}

  static byte[] seal(Bits out) {
    return seal(out.bytes, out.at);
  }

  /** The first n bytes and their checksum. */
  public static byte[] seal(byte[] bytes, int n) {
    int sum = sum(bytes, n);
    var sealed = Arrays.copyOf(bytes, n + SIZE);
    for (int i = 0; i < SIZE; i++) {
      sealed[n + i] = (byte) (sum >>> (8 * i));
    }
    return sealed;
  }

  /**
   * How many bytes lie before the checksum.
   *
   * @throws DamagedChunkException if the checksum does not match
   */
  public static int verify(byte[] sealed) {
    int end = sealed.length - SIZE;
    if (end < 0) {
      throw new DamagedChunkException("only " + sealed.length + " bytes");
    }
    int sum = 0;
    for (int i = 0; i < SIZE; i++) {
      sum |= (sealed[end + i] & 0xff) << (8 * i);
    }
    if (sum != sum(sealed, end)) {
      throw new DamagedChunkException("checksum mismatch");
    }
    return end;
  }

  static Bits open(byte[] sealed) {
    return Bits.reading(sealed, 0, verify(sealed));
  }

  private static int sum(byte[] bytes, int n) {
    var crc = new CRC32C();
    crc.update(bytes, 0, n);
    return (int) crc.getValue();
  }
}
