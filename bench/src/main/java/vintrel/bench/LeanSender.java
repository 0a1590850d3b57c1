package vintrel.bench;

import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.net.InetAddress;
import java.net.Socket;
import java.nio.charset.StandardCharsets;

/**
 * One connection that is kept, written and read by the thread that asks: what is measured is the
 * server, not a client library that has its threads on the same two processors.
 */
final class LeanSender implements AutoCloseable {
  private final String head;
  private Socket socket;
  private InputStream in;

  LeanSender(String path, String type) throws IOException {
    this.head =
        "POST %s HTTP/1.1\r\nHost: 127.0.0.1:%d\r\nAuthorization: Bearer %s\r\nContent-Type: %s\r\n"
            .formatted(path, Vintrel.PORT, Vintrel.TOKEN, type);
  }

  private void open() throws IOException {
    if (socket == null) {
      socket = new Socket(InetAddress.getLoopbackAddress(), Vintrel.PORT);
      socket.setTcpNoDelay(true);
      in = new BufferedInputStream(socket.getInputStream());
    }
  }

  /**
   * Sends a body and waits for the whole answer.
   *
   * @throws IOException unless it is 200
   */
  void post(byte[] body) throws IOException {
    var start =
        (head + "Content-Length: " + body.length + "\r\n\r\n").getBytes(StandardCharsets.US_ASCII);
    var all = new byte[start.length + body.length];
    System.arraycopy(start, 0, all, 0, start.length);
    System.arraycopy(body, 0, all, start.length, body.length);
    open();
    socket.getOutputStream().write(all);
    var status = line();
    int length = 0;
    boolean last = false;
    for (var next = line(); !next.isEmpty(); next = line()) {
      if (next.toLowerCase().startsWith("content-length:")) {
        length = Integer.parseInt(next.substring(next.indexOf(':') + 1).strip());
      }
      last |= next.equalsIgnoreCase("connection: close");
    }
    in.readNBytes(length);
    if (last) {
      close();
    }
    if (!status.contains(" 200")) {
      throw new IOException("refused: " + status);
    }
  }

  private String line() throws IOException {
    var out = new StringBuilder();
    for (int c = in.read(); c != '\n'; c = in.read()) {
      if (c < 0) {
        throw new IOException("the server closed the connection");
      }
      if (c != '\r') {
        out.append((char) c);
      }
    }
    return out.toString();
  }

  @Override
  public void close() throws IOException {
    if (socket != null) {
      socket.close();
      socket = null;
    }
  }
}
