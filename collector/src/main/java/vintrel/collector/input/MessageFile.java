package vintrel.collector.input;

import java.io.BufferedInputStream;
import java.io.ByteArrayOutputStream;
import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.EOFException;
import java.io.IOException;
import java.io.UTFDataFormatException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.Comparator;
import java.util.List;
import java.util.function.Consumer;

/**
 * Messages that were acknowledged to their broker and are not yet in the collector's queue: so that
 * they outlive a kill. What was read last is in files of its own until it is confirmed. Any thread.
 */
final class MessageFile implements AutoCloseable {
  /** Longer payloads are no readings. */
  static final int MAX_PAYLOAD = 1_000_000;

  /** So much may wait; what is more waits at the broker. */
  private static final long MAX_BYTES = 32_000_000;

  private final Path folder;
  private final String name;
  private FileChannel open;
  private long number;
  private boolean closed;
  private long bytes;

  /**
   * A message.
   *
   * @param time when it came, ms since the epoch
   */
  record Message(long time, String topic, byte[] payload) {}

  MessageFile(Path folder, String name) {
    this.folder = folder;
    this.name = name;
  }

  /** The files of an earlier run, oldest first, and where new ones go on. */
  private List<Path> files() throws IOException {
    try (var all = Files.list(folder)) {
      return all.filter(p -> number(p) >= 0)
          .sorted(Comparator.comparingLong(this::number))
          .toList();
    }
  }

  private long number(Path path) {
    var text = path.getFileName().toString();
    if (!text.startsWith(name + ".") || !text.endsWith(".messages")) {
      return -1;
    }
    var digits = text.substring(name.length() + 1, text.length() - ".messages".length());
    return digits.matches("[0-9]{1,18}") ? Long.parseLong(digits) : -1;
  }

  /**
   * Passes on what an earlier run left, oldest first; it stays until {@link #confirmation}. No more
   * is held in memory than one message, and no more was ever written than {@link #MAX_BYTES}.
   */
  synchronized void left(Consumer<Message> each) throws IOException {
    Files.createDirectories(folder);
    for (var file : files()) {
      number = Math.max(number, number(file) + 1);
      bytes += Files.size(file);
      try (var in = new DataInputStream(new BufferedInputStream(Files.newInputStream(file)))) {
        while (true) {
          long time = in.readLong();
          var topic = in.readUTF();
          int length = in.readInt();
          if (length < 0 || length > MAX_PAYLOAD) {
            break;
          }
          var payload = in.readNBytes(length);
          if (payload.length < length) {
            break;
          }
          each.accept(new Message(time, topic, payload));
        }
      } catch (EOFException | UTFDataFormatException e) {
        // What a kill cut off was not acknowledged.
      }
    }
  }

  /** Adds a message; on return it outlives the program. */
  synchronized void add(Message message) throws IOException {
    if (closed) {
      throw new IOException("closed");
    }
    if (bytes + message.payload.length > MAX_BYTES) {
      throw new IOException("more than " + MAX_BYTES / 1_000_000 + " MB wait to be queued");
    }
    if (open == null) {
      var file = folder.resolve(name + "." + number++ + ".messages");
      open = FileChannel.open(file, StandardOpenOption.CREATE_NEW, StandardOpenOption.WRITE);
    }
    var packed = new ByteArrayOutputStream();
    var out = new DataOutputStream(packed);
    out.writeLong(message.time);
    out.writeUTF(message.topic);
    out.writeInt(message.payload.length);
    out.write(message.payload);
    long end = open.position();
    try {
      var buffer = ByteBuffer.wrap(packed.toByteArray());
      while (buffer.hasRemaining()) {
        open.write(buffer);
      }
      bytes += packed.size();
    } catch (IOException e) {
      open.truncate(end);
      open.position(end);
      throw e;
    }
  }

  /** What removes all messages that were added so far, once they are safe elsewhere. */
  synchronized Runnable confirmation() {
    long until = number;
    try {
      end();
    } catch (IOException e) {
      // What was written stays.
    }
    return () -> drop(until);
  }

  private synchronized void drop(long until) {
    try {
      for (var file : files()) {
        if (number(file) < until) {
          bytes -= Files.size(file);
          Files.deleteIfExists(file);
        }
      }
    } catch (IOException e) {
      // They are read again after the next start, as the same samples.
    }
  }

  /** A text that is kept in the folder, made once. */
  static String kept(Path file, String made) throws IOException {
    if (Files.exists(file)) {
      return Files.readString(file, StandardCharsets.UTF_8).strip();
    }
    Files.createDirectories(file.getParent());
    Files.writeString(file, made);
    return made;
  }

  /** Takes no more: what comes late is not acknowledged, and goes to whoever comes next. */
  @Override
  public synchronized void close() throws IOException {
    closed = true;
    end();
  }

  private void end() throws IOException {
    if (open != null) {
      open.close();
      open = null;
    }
  }
}
