package vintrel.core.wire;

import java.nio.charset.StandardCharsets;
import vintrel.core.chunk.Leb128;

/**
 * A cursor over protocol buffer bytes (the wire format of
 * protobuf.dev/programming-guides/encoding). Walking the bytes in place is ten times faster than
 * building objects for every data point.
 */
final class ProtoBytes {
  byte[] bytes;
  int at;
  int end;

  /** Of the field last read: its number, wire type, and for length-delimited ones its range. */
  int field;

  int type;
  int start;
  int stop;

  ProtoBytes(byte[] bytes, int from, int to) {
    this.bytes = bytes;
    this.at = from;
    this.end = to;
  }

  /** Reads the next field's head; for length-delimited fields moves behind its content. */
  boolean next() {
    if (at >= end) {
      return false;
    }
    long tag = varint();
    field = (int) (tag >>> 3);
    type = (int) (tag & 7);
    switch (type) {
      case 0 -> start = at;
      case 1 -> start = at;
      case 5 -> start = at;
      case 2 -> {
        long length = varint();
        if (length < 0 || length > end - at) {
          throw new WireException(
              "field of " + length + " bytes, but only " + (end - at) + " left");
        }
        start = at;
        stop = at + (int) length;
        at = stop;
      }
      default -> throw new WireException("unknown wire type " + type);
    }
    if (field == 0) {
      throw new WireException("field number 0");
    }
    return true;
  }

  /** Passes over a field that is of no interest. */
  void skip() {
    switch (type) {
      case 0 -> varint();
      case 1 -> need(8);
      case 5 -> need(4);
      default -> {}
    }
  }

  private void need(int n) {
    at += n;
    if (at > end) {
      throw new WireException("the content ends within a number");
    }
  }

  boolean is(int wantedField, int wantedType) {
    return field == wantedField && type == wantedType;
  }

  long varint() {
    if (at < end && bytes[at] >= 0) {
      return bytes[at++];
    }
    int stop = Leb128.end(bytes, at, end);
    if (stop < 0) {
      throw new WireException(
          end - at < Leb128.MAX_BYTES
              ? "the content ends within a number"
              : "a number runs over ten bytes");
    }
    long v = Leb128.get(bytes, at, stop);
    at = stop;
    return v;
  }

  long fixed64() {
    need(8);
    return fixed64(bytes, at - 8);
  }

  static long fixed64(byte[] b, int p) {
    return (b[p] & 0xffL)
        | (b[p + 1] & 0xffL) << 8
        | (b[p + 2] & 0xffL) << 16
        | (b[p + 3] & 0xffL) << 24
        | (b[p + 4] & 0xffL) << 32
        | (b[p + 5] & 0xffL) << 40
        | (b[p + 6] & 0xffL) << 48
        | (b[p + 7] & 0xffL) << 56;
  }

  /** A cursor over the content of the length-delimited field last read. */
  ProtoBytes inner() {
    return new ProtoBytes(bytes, start, stop);
  }

  /**
   * The same with a cursor that is used again: what it stood on before is over.
   *
   * @param cursor null for a new one
   */
  ProtoBytes inner(ProtoBytes cursor) {
    if (cursor == null) {
      return inner();
    }
    cursor.bytes = bytes;
    cursor.at = start;
    cursor.end = stop;
    return cursor;
  }

  String text() {
    return new String(bytes, start, stop - start, StandardCharsets.UTF_8);
  }
}
