package vintrel.collector;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.util.ArrayDeque;
import java.util.zip.GZIPOutputStream;

/**
 * Requests that wait on disk, in order, within a number of bytes. A request is a file, written
 * whole and forced before it has its name; it is removed once the server has taken it. So a kill at
 * any moment loses at most what was just read. If the bytes do not suffice, the oldest gives way.
 * Any thread.
 */
final class DiskQueue {
  /**
   * A request.
   *
   * @param number rising; with the queue's own name it is known to the server
   * @param at when it was read, ms
   */
  record Entry(long number, long at, Path file, long bytes) {
    byte[] read() throws IOException {
      return Files.readAllBytes(file);
    }
  }

  private static final String END = ".otlp.gz";

  private final Path folder;
  private final long maxBytes;
  private final ArrayDeque<Entry> entries = new ArrayDeque<>();
  private long next;
  private long bytes;
  private long dropped;

  /**
   * Opens a queue with what waits from before.
   *
   * @param maxBytes of all files together
   */
  DiskQueue(Path folder, long maxBytes) throws IOException {
    this.folder = folder;
    this.maxBytes = maxBytes;
    Files.createDirectories(folder);
    try (var found = Files.newDirectoryStream(folder)) {
      var files = new java.util.ArrayList<Path>();
      for (var file : found) {
        if (file.toString().endsWith(".new")) {
          Files.delete(file);
        } else if (file.toString().endsWith(END)) {
          files.add(file);
        }
      }
      files.sort(null);
      for (var file : files) {
        open(file);
      }
    }
    // Numbers go on though all files were taken, so that none is known to the server already.
    next = Math.max(next, System.currentTimeMillis() * 1000);
  }

  /** Name: number-time. */
  private void open(Path file) throws IOException {
    var parts = file.getFileName().toString().replace(END, "").split("-");
    try {
      var entry =
          new Entry(Long.parseLong(parts[0]), Long.parseLong(parts[1]), file, Files.size(file));
      entries.addLast(entry);
      bytes += entry.bytes();
      next = Math.max(next, entry.number() + 1);
    } catch (IllegalArgumentException | ArrayIndexOutOfBoundsException e) {
      System.err.println("vintrel-collector: not a file of the queue: " + file);
    }
  }

  /**
   * Adds a request; returns once it is durable.
   *
   * @param at when it was read, ms
   */
  synchronized void add(byte[] request, long at) throws IOException {
    var packed = gzip(request);
    while (bytes + packed.length > maxBytes && !entries.isEmpty()) {
      remove(entries.peekFirst());
      dropped++;
    }
    if (packed.length > maxBytes) {
      dropped++;
      return;
    }
    long number = next++;
    var file = folder.resolve("%019d-%d%s".formatted(number, at, END));
    var fresh = folder.resolve(file.getFileName() + ".new");
    try (var out =
        FileChannel.open(
            fresh,
            StandardOpenOption.CREATE,
            StandardOpenOption.WRITE,
            StandardOpenOption.TRUNCATE_EXISTING)) {
      var buffer = java.nio.ByteBuffer.wrap(packed);
      while (buffer.hasRemaining()) {
        out.write(buffer);
      }
      out.force(true);
    }
    Files.move(fresh, file, StandardCopyOption.ATOMIC_MOVE);
    entries.addLast(new Entry(number, at, file, packed.length));
    bytes += packed.length;
  }

  private static byte[] gzip(byte[] request) throws IOException {
    var out = new ByteArrayOutputStream(request.length / 4 + 100);
    try (var zip = new GZIPOutputStream(out)) {
      zip.write(request);
    }
    return out.toByteArray();
  }

  /** The oldest, or null. */
  synchronized Entry first() {
    return entries.peekFirst();
  }

  /** Removes a request that was taken; one that gave way meanwhile is gone already. */
  synchronized void remove(Entry entry) throws IOException {
    if (entries.remove(entry)) {
      bytes -= entry.bytes();
      Files.deleteIfExists(entry.file());
    }
  }

  synchronized int size() {
    return entries.size();
  }

  synchronized long bytes() {
    return bytes;
  }

  /** Requests that gave way. */
  synchronized long dropped() {
    return dropped;
  }

  synchronized void drop(Entry entry) throws IOException {
    remove(entry);
    dropped++;
  }
}
