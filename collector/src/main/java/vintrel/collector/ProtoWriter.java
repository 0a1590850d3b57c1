package vintrel.collector;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.function.Consumer;

/**
 * Writes protobuf messages: the encoding of protobuf.dev/programming-guides/encoding. One thread.
 */
final class ProtoWriter {
  private static final int VARINT = 0;
  private static final int FIXED64 = 1;
  private static final int BYTES = 2;

  private byte[] out = new byte[256];
  private int n;

  private void room(int more) {
    if (n + more > out.length) {
      out = Arrays.copyOf(out, Math.max(n + more, 2 * out.length));
    }
  }

  private void varint(long v) {
    room(10);
    while ((v & ~0x7fL) != 0) {
      out[n++] = (byte) (v & 0x7f | 0x80);
      v >>>= 7;
    }
    out[n++] = (byte) v;
  }

  ProtoWriter number(int field, long v) {
    varint((long) field << 3 | VARINT);
    varint(v);
    return this;
  }

  ProtoWriter fixed64(int field, long v) {
    varint((long) field << 3 | FIXED64);
    room(8);
    for (int i = 0; i < 8; i++) {
      out[n++] = (byte) (v >>> 8 * i);
    }
    return this;
  }

  ProtoWriter real(int field, double v) {
    return fixed64(field, Double.doubleToRawLongBits(v));
  }

  ProtoWriter text(int field, String text) {
    return bytes(field, text.getBytes(StandardCharsets.UTF_8));
  }

  ProtoWriter bytes(int field, byte[] bytes) {
    varint((long) field << 3 | BYTES);
    varint(bytes.length);
    room(bytes.length);
    System.arraycopy(bytes, 0, out, n, bytes.length);
    n += bytes.length;
    return this;
  }

  /** A message within this one. */
  ProtoWriter message(int field, Consumer<ProtoWriter> fill) {
    var inner = new ProtoWriter();
    fill.accept(inner);
    return bytes(field, inner.done());
  }

  byte[] done() {
    return Arrays.copyOf(out, n);
  }
}
