package vintrel.core.wire;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import vintrel.core.chunk.Leb128;

/** What OTLP answers, as protocol buffers. */
public final class OtlpStatus {
  public static final int INVALID_ARGUMENT = 3;
  public static final int PERMISSION_DENIED = 7;
  public static final int INTERNAL = 13;
  public static final int UNAVAILABLE = 14;
  public static final int UNAUTHENTICATED = 16;

  private OtlpStatus() {}

  /** A google.rpc.Status, as the protocol wants it for failures. */
  public static byte[] failure(int code, String message) {
    var out = new ByteArrayOutputStream();
    out.write(1 << 3);
    varint(out, code);
    text(out, 2, message);
    return out.toByteArray();
  }

  /**
   * A response whose partial success reports how much was rejected, and why; empty if nothing was.
   */
  public static byte[] success(long refused, String why) {
    var out = new ByteArrayOutputStream();
    if (!why.isEmpty()) {
      var inner = new ByteArrayOutputStream();
      inner.write(1 << 3);
      varint(inner, refused);
      text(inner, 2, why);
      out.write(1 << 3 | 2);
      varint(out, inner.size());
      out.writeBytes(inner.toByteArray());
    }
    return out.toByteArray();
  }

  private static void text(ByteArrayOutputStream out, int field, String text) {
    var bytes = text.getBytes(StandardCharsets.UTF_8);
    out.write(field << 3 | 2);
    varint(out, bytes.length);
    out.writeBytes(bytes);
  }

  private static void varint(ByteArrayOutputStream out, long v) {
    var bytes = new byte[Leb128.MAX_BYTES];
    out.write(bytes, 0, Leb128.put(bytes, 0, v));
  }
}
