package vintrel.core.chunk;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.util.Random;
import org.junit.jupiter.api.Test;

class Leb128Test {
  /** By arbitrary-precision division, as the definition says. */
  private static byte[] slowly(long value) {
    var v = new BigInteger(Long.toUnsignedString(value));
    var base = BigInteger.valueOf(128);
    var out = new java.io.ByteArrayOutputStream();
    while (v.compareTo(base) >= 0) {
      out.write(v.mod(base).intValue() + 128);
      v = v.divide(base);
    }
    out.write(v.intValue());
    return out.toByteArray();
  }

  @Test
  void numbersOfEveryLengthComeBackAndFollowTheDefinition() {
    var random = new Random(7);
    for (int bits = 0; bits <= 64; bits++) {
      for (int n = 0; n < 50; n++) {
        long v = bits == 0 ? 0 : random.nextLong() >>> (64 - bits);
        var bytes = new byte[20];
        int end = Leb128.put(bytes, 3, v);
        assertThat(java.util.Arrays.copyOfRange(bytes, 3, end)).isEqualTo(slowly(v));
        assertThat(Leb128.end(bytes, 3, bytes.length)).isEqualTo(end);
        assertThat(Leb128.get(bytes, 3, end)).isEqualTo(v);
        assertThat(Leb128.unzigzag(Leb128.zigzag(v))).isEqualTo(v);
        var buffer = ByteBuffer.wrap(bytes, 2, 14).slice();
        buffer.position(1);
        Leb128.put(buffer, v);
        assertThat(buffer.position()).isEqualTo(end - 2);
        buffer.position(1);
        assertThat(Leb128.get(buffer)).isEqualTo(v);
      }
    }
  }

  @Test
  void aNumberThatDoesNotEndIsToldApart() {
    var open = new byte[] {(byte) 0x80, (byte) 0x80};
    assertThat(Leb128.end(open, 0, 2)).isEqualTo(-1);
    assertThat(Leb128.end(new byte[] {0}, 1, 1)).isEqualTo(-1);
    var endless = new byte[12];
    java.util.Arrays.fill(endless, (byte) 0xff);
    endless[11] = 0;
    assertThat(Leb128.end(endless, 0, 12)).isEqualTo(-1);
    assertThat(Leb128.end(endless, 2, 12)).isEqualTo(12);
    assertThatThrownBy(() -> Leb128.get(ByteBuffer.wrap(open)))
        .isInstanceOf(DamagedChunkException.class);
  }
}
