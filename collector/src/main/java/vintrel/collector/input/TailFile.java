package vintrel.collector.input;

import java.io.EOFException;
import java.io.IOException;
import java.io.InputStream;
import java.io.RandomAccessFile;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.BasicFileAttributes;
import java.util.Arrays;
import java.util.Set;
import java.util.zip.CRC32;
import java.util.zip.GZIPInputStream;

/**
 * One file that is followed, whatever it is called. Its identity is the file system's own key
 * (device and inode); as long as the file is open that key stands for no other file, and a checksum
 * of its first bytes says whether it is still the same after a restart, or whether another file is
 * a copy of it. One thread.
 */
final class TailFile implements AutoCloseable {
  /** First bytes that tell files apart. */
  private static final int HEAD = 256;

  /** Files of a folder that are looked at for a copy. */
  private static final int MAX_BESIDE = 1_000;

  /** Bytes of a pack that are read. */
  private static final int MAX_UNPACKED = 64_000_000;

  /** A file that nobody finds any more may still be written to for so long, ms. */
  private static final long GRACE_MS = 60_000;

  private final String key;
  private Path path;
  private RandomAccessFile open;
  private long offset;
  private long since;

  /** Of the first bytes, as many as there were, up to {@link #HEAD}. */
  private long head;

  private int headLength;

  /** Of the last bytes that were read. */
  private long tail;

  private long leftAt;
  private long grownAt;
  private boolean copied;

  /** The rest of a pack that holds what was written, from a place on; null: it is no pack. */
  private byte[] unpacked;

  private long unpackedFrom;

  private TailFile(String key, Path path) {
    this.key = key;
    this.path = path;
  }

  /** The key of a file; its path where the file system has none. */
  static String key(Path path) throws IOException {
    var own = Files.readAttributes(path, BasicFileAttributes.class).fileKey();
    return own == null ? path.toAbsolutePath().toString() : own.toString();
  }

  static TailFile of(String key, Path path) throws IOException {
    var out = new TailFile(key, path.toAbsolutePath());
    out.open();
    return out;
  }

  /** As it was written by {@link #written}, or by an earlier version: the offset alone. */
  static TailFile read(String key, String written) {
    var parts = written.split(" ", 5);
    var out = new TailFile(key, parts.length < 5 ? null : Path.of(parts[4]));
    out.offset = Long.parseLong(parts[0]);
    if (parts.length == 5) {
      out.head = Long.parseLong(parts[1]);
      out.headLength = Integer.parseInt(parts[2]);
      out.tail = Long.parseLong(parts[3]);
    }
    return out;
  }

  String written() {
    return String.join(
        " ", "" + offset, "" + head, "" + headLength, "" + tail, path == null ? "" : "" + path);
  }

  String key() {
    return key;
  }

  /** Where reading goes on. */
  long offset() {
    return offset;
  }

  /** Since when there is something that is not complete, ms; 0: there is nothing. */
  long since() {
    return since;
  }

  Path path() {
    return path;
  }

  void waits(long now) {
    since = since == 0 ? now : since;
  }

  void begin(long at) throws IOException {
    offset = at;
    since = 0;
    remember();
  }

  /** It is called so now. */
  void at(Path now) throws IOException {
    path = now.toAbsolutePath();
    leftAt = 0;
    if (open == null) {
      open();
    }
  }

  private void open() throws IOException {
    open = new RandomAccessFile(path.toFile(), "r");
  }

  /** It is not found under a name that is followed any more: renamed, deleted, or packed. */
  void leave(long now) throws IOException {
    if (leftAt == 0) {
      leftAt = now;
      grownAt = now;
    }
    if (open == null && unpacked == null && path != null) {
      // The collector did not run meanwhile: it may lie beside under another name.
      var found = beside(Set.of(), true);
      if (found != null && isPack(found)) {
        unpack(found);
      } else if (found != null) {
        var name = path;
        path = found;
        open();
        path = name;
      }
    }
  }

  /** Whether it has its last line, as far as can be known. */
  boolean isLeft(long now) {
    return leftAt > 0 && (leftAt == 1 || now - grownAt >= GRACE_MS / 2);
  }

  /** Whether nothing more is to be expected of it. */
  boolean isOver(long now) throws IOException {
    if (leftAt == 0) {
      return false;
    }
    if (open == null) {
      return unpacked == null || offset >= unpackedFrom + unpacked.length;
    }
    return offset >= open.length() && (leftAt == 1 || now - grownAt >= GRACE_MS);
  }

  /** Whether it was cut, or another file has its key: it begins anew. */
  boolean isAnew() throws IOException {
    if (open.length() < offset) {
      return true;
    }
    return headLength > 0 && checksum(head(open, headLength)) != head;
  }

  /** Whether a file that was not there before is a copy of this one. */
  boolean isCopiedIn(Path other) {
    // A new file of the same name: this one was renamed.
    return headLength > 0 && !other.toAbsolutePath().equals(path) && holds(other);
  }

  /** A copy of this one is followed itself. */
  void copied() {
    copied = true;
  }

  /** Whether there was a copy since it began; asked once. */
  boolean wasCopied() {
    boolean was = copied;
    copied = false;
    return was;
  }

  /**
   * A copy of what this file was before it was cut, from where it was read to; null if there is
   * none.
   *
   * @param followed keys of files that are read anyway
   */
  TailFile copyBeside(Set<String> followed) throws IOException {
    var found = beside(followed, false);
    if (found == null) {
      return null;
    }
    var out = new TailFile("copy " + found.getFileName() + " " + head, path);
    out.offset = offset;
    out.head = head;
    out.headLength = headLength;
    out.tail = tail;
    out.leftAt = 1;
    if (isPack(found)) {
      out.unpack(found);
    } else {
      out.open = new RandomAccessFile(found.toFile(), "r");
    }
    return out;
  }

  /**
   * A file in the same folder that holds what this one held.
   *
   * @param same whether it may be the file itself, renamed
   */
  private Path beside(Set<String> followed, boolean same) throws IOException {
    if (headLength == 0 || path == null || path.getParent() == null) {
      return null;
    }
    if (!Files.isDirectory(path.getParent())) {
      return null;
    }
    try (var all = Files.list(path.getParent())) {
      for (var file : (Iterable<Path>) all.limit(MAX_BESIDE)::iterator) {
        if (!Files.isRegularFile(file) || !Files.isReadable(file)) {
          continue;
        }
        var itsKey = key(file);
        boolean own = itsKey.equals(key);
        if (own ? same && holds(file) : !followed.contains(itsKey) && holds(file)) {
          return file;
        }
      }
    }
    return null;
  }

  /** Whether a file has at least what was read of this one, and the same beginning. */
  private boolean holds(Path file) {
    try (InputStream in =
        isPack(file)
            ? new GZIPInputStream(Files.newInputStream(file))
            : Files.newInputStream(file)) {
      if (checksum(in.readNBytes(headLength)) != head) {
        return false;
      }
      int last = (int) Math.min(HEAD, offset);
      if (offset - last < headLength) {
        // The end of what was read lies in the beginning.
        in.skipNBytes(offset - headLength);
        return true;
      }
      in.skipNBytes(offset - last - headLength);
      var bytes = in.readNBytes(last);
      return bytes.length == last && checksum(bytes) == tail;
    } catch (IOException e) {
      return false;
    }
  }

  private static boolean isPack(Path file) {
    return file.toString().endsWith(".gz");
  }

  /** Reads what a pack holds beyond what was read. */
  private void unpack(Path file) throws IOException {
    unpackedFrom = offset;
    try (InputStream in = new GZIPInputStream(Files.newInputStream(file))) {
      in.skipNBytes(offset);
      unpacked = in.readNBytes(MAX_UNPACKED);
    } catch (EOFException e) {
      unpacked = new byte[0];
    }
  }

  /** What comes next, up to so many bytes. */
  byte[] rest(int max) throws IOException {
    if (unpacked != null) {
      int from = (int) Math.min(offset - unpackedFrom, unpacked.length);
      return Arrays.copyOfRange(unpacked, from, Math.min(unpacked.length, from + max));
    }
    if (open == null) {
      return new byte[0];
    }
    long left = open.length() - offset;
    if (left <= 0) {
      return new byte[0];
    }
    if (leftAt > 0 && since == 0) {
      grownAt = System.currentTimeMillis();
    }
    open.seek(offset);
    var out = new byte[(int) Math.min(max, left)];
    open.readFully(out);
    return out;
  }

  private void remember() throws IOException {
    if (open == null || unpacked != null) {
      return;
    }
    if (headLength < HEAD || offset < HEAD) {
      headLength = (int) Math.min(HEAD, Math.min(offset, open.length()));
      head = checksum(head(open, headLength));
    }
    int last = (int) Math.min(HEAD, offset);
    if (open.length() >= offset) {
      open.seek(offset - last);
      var bytes = new byte[last];
      open.readFully(bytes);
      tail = checksum(bytes);
    }
  }

  private static byte[] head(RandomAccessFile of, int length) throws IOException {
    of.seek(0);
    var out = new byte[(int) Math.min(length, of.length())];
    of.readFully(out);
    return out;
  }

  private static long checksum(byte[] bytes) {
    var crc = new CRC32();
    crc.update(bytes);
    return crc.getValue();
  }

  @Override
  public void close() throws IOException {
    if (open != null) {
      open.close();
      open = null;
    }
  }
}
