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
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;

/**
 * As much of an MQTT 3.1.1 broker (OASIS, 2014) as a subscriber needs: takes a connection and its
 * topics, and publishes to it without acknowledgement.
 */
final class SmallBroker implements AutoCloseable {
  private final ServerSocket listening = new ServerSocket(0, 5, InetAddress.getLoopbackAddress());
  private final CompletableFuture<List<String>> topics = new CompletableFuture<>();
  private volatile DataOutputStream out;

  SmallBroker() throws IOException {
    Thread.ofVirtual().start(this::serve);
  }

  int port() {
    return listening.getLocalPort();
  }

  List<String> awaitTopics() throws Exception {
    return topics.get(10, TimeUnit.SECONDS);
  }

  private void serve() {
    try (Socket socket = listening.accept()) {
      var in = new DataInputStream(socket.getInputStream());
      out = new DataOutputStream(socket.getOutputStream());
      while (true) {
        int type = in.readUnsignedByte();
        var body = new byte[length(in)];
        in.readFully(body);
        switch (type >> 4) {
          case 1 -> write(new byte[] {0x20, 2, 0, 0});
          case 8 -> {
            var subscribed = topics(body);
            var answer = new ByteArrayOutputStream();
            answer.write(0x90);
            answer.write(2 + subscribed.size());
            answer.write(body, 0, 2);
            answer.write(new byte[subscribed.size()]);
            write(answer.toByteArray());
            topics.complete(subscribed);
          }
          case 12 -> write(new byte[] {(byte) 0xd0, 0});
          default -> {
            // Nothing else needs an answer.
          }
        }
      }
    } catch (IOException e) {
      // The test is over.
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

  private synchronized void write(byte[] bytes) throws IOException {
    out.write(bytes);
    out.flush();
  }

  void publish(String topic, String payload) throws IOException {
    var name = topic.getBytes(StandardCharsets.UTF_8);
    var text = payload.getBytes(StandardCharsets.UTF_8);
    var packet = new ByteArrayOutputStream();
    packet.write(0x30);
    packet.write(2 + name.length + text.length);
    packet.write(name.length >> 8);
    packet.write(name.length);
    packet.writeBytes(name);
    packet.writeBytes(text);
    write(packet.toByteArray());
  }

  @Override
  public void close() throws IOException {
    listening.close();
  }
}
