package vintrel.core.store;

import java.io.Closeable;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;
import java.util.function.Consumer;
import java.util.zip.CRC32C;

/**
 * Samples on their way to chunks, in files that are only appended to. What {@link #append} has
 * returned from is on the disk.
 *
 * <p>A folder of segments, named by the sequence number of their first record. A record is: marker
 * (4 bytes), length of the payload (4), sequence number (8), payload, CRC-32C of length, number and
 * payload (4); big-endian. A record that was torn by a crash ends the last segment; one that is
 * damaged in the middle is left out, and reading goes on at the next marker whose record is sound.
 *
 * <p>Not thread-safe: one thread appends and rotates. {@link #drop} may be called by another.
 */
public final class Journal implements Closeable {
  private static final int MARKER = 0x564a524e;
  private static final int HEADER = 16;
  private static final int CHECK = 4;
  private static final int MAX = 16_000_000;

  private final Path folder;
  private final TreeMap<Long, Path> segments = new TreeMap<>();
  private FileChannel out;
  private long position;
  private long sequence;
  private volatile long bytes;

  private Journal(Path folder, long sequence) {
    this.folder = folder;
    this.sequence = sequence;
  }

  /**
   * What was found at opening.
   *
   * @param records handed on
   * @param damaged bytes that were left out, the torn end of the last segment apart
   */
  public record Found(Journal journal, long records, long damaged) {}

  /**
   * Opens the journal of a folder, which is made if it is missing.
   *
   * @param after records up to this sequence number are in chunks already and are not handed on
   * @param replay takes the payloads of the others, in order
   */
  public static Found open(Path folder, long after, Consumer<byte[]> replay) throws IOException {
    Files.createDirectories(folder);
    var journal = new Journal(folder, after);
    try (var files = Files.newDirectoryStream(folder, "*.journal")) {
      for (var file : files) {
        var name = file.getFileName().toString();
        journal.segments.put(Long.parseLong(name.substring(0, name.indexOf('.')), 16), file);
      }
    }
    long records = 0;
    long damaged = 0;
    for (var entry : journal.segments.entrySet()) {
      boolean last = entry.getKey().equals(journal.segments.lastKey());
      var in = ByteBuffer.wrap(Files.readAllBytes(entry.getValue()));
      while (in.remaining() > 0) {
        int start = in.position();
        var payload = journal.read(in, after);
        if (payload == null) {
          int next = nextSound(in, start + 1);
          if (last && next == in.limit()) {
            cut(entry.getValue(), start);
          } else {
            damaged += next - start;
          }
          in.position(next);
        } else if (payload.length > 0) {
          replay.accept(payload);
          records++;
        }
      }
      journal.bytes += in.limit();
    }
    return new Found(journal, records, damaged);
  }

  /** Bytes of the journal of a folder, before it is opened; 0 if there is none. */
  public static long bytes(Path folder) throws IOException {
    if (!Files.isDirectory(folder)) {
      return 0;
    }
    long out = 0;
    try (var files = Files.newDirectoryStream(folder, "*.journal")) {
      for (var file : files) {
        out += Files.size(file);
      }
    }
    return out;
  }

  private static void cut(Path file, long end) throws IOException {
    try (var channel = FileChannel.open(file, StandardOpenOption.WRITE)) {
      channel.truncate(end);
    }
  }

  /** The payload at the buffer's place, empty if it is not wanted, null if none is sound. */
  private byte[] read(ByteBuffer in, long after) {
    int length = sound(in, in.position());
    if (length < 0) {
      return null;
    }
    long number = in.getLong(in.position() + 8);
    var payload = new byte[number > after ? length : 0];
    in.get(in.position() + HEADER, payload);
    in.position(in.position() + HEADER + length + CHECK);
    sequence = Math.max(sequence, number);
    return payload;
  }

  /** The length of the payload of a sound record, or -1. */
  private static int sound(ByteBuffer in, int at) {
    if (in.limit() - at < HEADER + CHECK || in.getInt(at) != MARKER) {
      return -1;
    }
    int length = in.getInt(at + 4);
    if (length < 0 || length > MAX || in.limit() - at < HEADER + length + CHECK) {
      return -1;
    }
    int check = in.getInt(at + HEADER + length);
    return check == check(in, at, length) ? length : -1;
  }

  private static int check(ByteBuffer in, int at, int length) {
    var crc = new CRC32C();
    crc.update(in.slice(at + 4, HEADER - 4 + length));
    return (int) crc.getValue();
  }

  private static int nextSound(ByteBuffer in, int from) {
    for (int at = from; at <= in.limit() - HEADER - CHECK; at++) {
      if (in.getInt(at) == MARKER && sound(in, at) >= 0) {
        return at;
      }
    }
    return in.limit();
  }

  /**
   * Appends payloads of at most 16 MB and forces them onto the disk together.
   *
   * @throws IOException if that failed; then nothing of them counts, and a later call may succeed
   */
  public void append(List<ByteBuffer> payloads) throws IOException {
    if (out == null) {
      begin();
    }
    var buffers = new ArrayList<ByteBuffer>();
    long size = 0;
    long number = sequence;
    for (var payload : payloads) {
      int length = payload.remaining();
      var head = ByteBuffer.allocate(HEADER);
      head.putInt(MARKER).putInt(length).putLong(++number).flip();
      var crc = new CRC32C();
      crc.update(head.slice(4, HEADER - 4));
      crc.update(payload.duplicate());
      var check = ByteBuffer.allocate(CHECK).putInt((int) crc.getValue()).flip();
      buffers.addAll(List.of(head, payload.duplicate(), check));
      size += HEADER + length + CHECK;
    }
    try {
      var all = buffers.toArray(ByteBuffer[]::new);
      for (long left = size; left > 0; ) {
        left -= out.write(all);
      }
      out.force(false);
    } catch (IOException e) {
      undo();
      throw e;
    }
    position += size;
    bytes += size;
    sequence = number;
  }

  private void begin() throws IOException {
    var file = folder.resolve(String.format("%016x.journal", sequence + 1));
    out =
        FileChannel.open(
            file,
            StandardOpenOption.CREATE,
            StandardOpenOption.WRITE,
            StandardOpenOption.TRUNCATE_EXISTING);
    position = 0;
    synchronized (segments) {
      segments.put(sequence + 1, file);
    }
    try (var parent = FileChannel.open(folder, StandardOpenOption.READ)) {
      // So that the file's name survives too.
      parent.force(true);
    }
  }

  /** Cuts off what a failed append left; if even that fails the next one begins a new file. */
  private void undo() {
    try {
      out.truncate(position);
      out.position(position);
    } catch (IOException e) {
      rotate();
    }
  }

  /** The number of the newest record. */
  public long sequence() {
    return sequence;
  }

  /** Bytes in all segments. */
  public long bytes() {
    return bytes;
  }

  /** Later records go to a new segment. */
  public void rotate() {
    try {
      if (out != null) {
        out.close();
      }
    } catch (IOException e) {
      // What was forced stays; the file is not written to any more.
    }
    out = null;
    bytes = 0;
  }

  /** Deletes the segments that hold only records up to this number, the one in use apart. */
  public void drop(long until) throws IOException {
    var gone = new ArrayList<Path>();
    synchronized (segments) {
      while (segments.size() > 1 && segments.higherKey(segments.firstKey()) <= until + 1) {
        gone.add(segments.pollFirstEntry().getValue());
      }
      if (out == null && segments.size() == 1 && sequence <= until) {
        gone.add(segments.pollFirstEntry().getValue());
      }
    }
    for (var file : gone) {
      Files.deleteIfExists(file);
    }
  }

  @Override
  public void close() {
    rotate();
  }
}
