package vintrel.core.event;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import vintrel.core.chunk.Leb128;

/** Bytes that grow. */
final class Bytes {
  private byte[] bytes = new byte[1024];
  private int size;

  byte[] bytes() {
    return bytes;
  }

  int size() {
    return size;
  }

  byte[] toArray() {
    return Arrays.copyOf(bytes, size);
  }

  private void room(int n) {
    if (size + n > bytes.length) {
      bytes = Arrays.copyOf(bytes, Math.max(size + n, bytes.length * 2));
    }
  }

  void put(byte b) {
    room(1);
    bytes[size++] = b;
  }

  void put(byte[] some) {
    put(some, some.length);
  }

  void put(byte[] some, int n) {
    room(n);
    System.arraycopy(some, 0, bytes, size, n);
    size += n;
  }

  /** LEB128. */
  void unsigned(long v) {
    room(Leb128.MAX_BYTES);
    size = Leb128.put(bytes, size, v);
  }

  void int4(int v) {
    for (int shift = 24; shift >= 0; shift -= 8) {
      put((byte) (v >> shift));
    }
  }

  void int8(long v) {
    int4((int) (v >> 32));
    int4((int) v);
  }

  void string(String text) {
    var utf8 = text.getBytes(StandardCharsets.UTF_8);
    unsigned(utf8.length);
    put(utf8);
  }
}
