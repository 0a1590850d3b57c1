package vintrel.collector.input;

import java.io.ByteArrayOutputStream;
import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.TimeUnit;

/**
 * As much of an MQTT 3.1.1 broker (OASIS, 2014) as a subscriber needs: takes connections and their
 * topics, of which the newest counts, and publishes to them without acknowledgement, or with one:
 * then what is not acknowledged comes again in the same session.
 */
final class SmallBroker implements AutoCloseable {
  private final ServerSocket listening = new ServerSocket(0, 5, InetAddress.getLoopbackAddress());
  private final LinkedBlockingQueue<List<String>> topics = new LinkedBlockingQueue<>();
  private final Map<Integer, byte[]> unacknowledged = new TreeMap<>();
  private DataOutputStream out;
  private Socket connected;
  private String session = "";
  private int next = 1;

  SmallBroker() throws IOException {
    Thread.ofVirtual().start(this::serve);
  }

  int port() {
    return listening.getLocalPort();
  }

  List<String> awaitTopics() throws Exception {
    return topics.poll(10, TimeUnit.SECONDS);
  }

  /** Messages that wait for an acknowledgement. */
  synchronized int waiting() {
    return unacknowledged.size();
  }

  /** Ends the connection, as a broker that is started anew. */
  synchronized void cut() throws IOException {
    if (connected != null) {
      connected.close();
    }
    out = null;
  }

  private void serve() {
    while (!listening.isClosed()) {
      try {
        var socket = listening.accept();
        Thread.ofVirtual().start(() -> serve(socket));
      } catch (IOException e) {
        // The test is over.
      }
    }
  }

  private void serve(Socket socket) {
    try (socket) {
      var in = new DataInputStream(socket.getInputStream());
      while (true) {
        int type = in.readUnsignedByte();
        var body = new byte[length(in)];
        in.readFully(body);
        answer(type >> 4, body, socket);
      }
    } catch (IOException e) {
      // It is gone.
    }
  }

  private synchronized void answer(int type, byte[] body, Socket from) throws IOException {
    if (type != 1 && from != connected) {
      throw new IOException("another took its session");
    }
    switch (type) {
      case 1 -> {
        var id = new String(body, 12, body[11], StandardCharsets.UTF_8);
        boolean clean = (body[7] & 2) != 0;
        if (clean || !id.equals(session)) {
          unacknowledged.clear();
        }
        session = id;
        if (connected != null) {
          connected.close();
        }
        connected = from;
        out = new DataOutputStream(from.getOutputStream());
        write(new byte[] {0x20, 2, 0, 0});
        for (var packet : unacknowledged.values()) {
          packet[0] |= 8;
          write(packet);
        }
      }
      case 4 -> unacknowledged.remove((body[0] & 0xff) << 8 | body[1] & 0xff);
      case 8 -> {
        var subscribed = topics(body);
        var answer = new ByteArrayOutputStream();
        answer.write(0x90);
        answer.write(2 + subscribed.size());
        answer.write(body, 0, 2);
        answer.write(new byte[subscribed.size()]);
        write(answer.toByteArray());
        topics.add(subscribed);
      }
      case 10 -> write(new byte[] {(byte) 0xb0, 2, body[0], body[1]});
      case 12 -> write(new byte[] {(byte) 0xd0, 0});
      default -> {
        // Nothing else needs an answer.
      }
    }
  }

  private static int length(DataInputStream in) throws IOException {
    int n = 0;
    for (int shift = 0; ; shift += 7) {
      int b = in.readUnsignedByte();
      n |= (b & 0x7f) << shift;
      if (b < 0x80) {
        return n;
      }
    }
  }

  private static List<String> topics(byte[] body) {
    var out = new ArrayList<String>();
    for (int at = 2; at < body.length; ) {
      int n = (body[at] & 0xff) << 8 | body[at + 1] & 0xff;
      out.add(new String(body, at + 2, n, StandardCharsets.UTF_8));
      at += 3 + n;
    }
    return out;
  }

  private void write(byte[] bytes) throws IOException {
    if (out != null) {
      out.write(bytes);
      out.flush();
    }
  }

  void publish(String topic, String payload) throws IOException {
    publish(topic, payload, 0);
  }

  /** At quality of service 1 also to a session that is not connected. */
  synchronized void publish(String topic, String payload, int qos) throws IOException {
    var name = topic.getBytes(StandardCharsets.UTF_8);
    var text = payload.getBytes(StandardCharsets.UTF_8);
    var packet = new ByteArrayOutputStream();
    packet.write(0x30 | qos << 1);
    packet.write(2 + name.length + text.length + 2 * qos);
    packet.write(name.length >> 8);
    packet.write(name.length);
    packet.writeBytes(name);
    if (qos > 0) {
      packet.write(next >> 8);
      packet.write(next);
    }
    packet.writeBytes(text);
    var bytes = packet.toByteArray();
    if (qos > 0) {
      unacknowledged.put(next++, bytes);
    }
    try {
      write(bytes);
    } catch (IOException e) {
      // It is kept.
    }
  }

  @Override
  public void close() throws IOException {
    listening.close();
    if (connected != null) {
      connected.close();
    }
  }
}
