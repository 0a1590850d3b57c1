package vintrel.server;

import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.Executors;

/** Other sides that behave badly: they take a connection and say nothing, or never end. */
public final class Raw implements AutoCloseable {
  private final ServerSocket socket;
  private final List<Socket> taken = new CopyOnWriteArrayList<>();
  private final Thread thread;

  private Raw(String first, boolean endless) throws IOException {
    socket = new ServerSocket(0, 500, InetAddress.getLoopbackAddress());
    thread =
        Thread.ofVirtual()
            .start(
                () -> {
                  while (!socket.isClosed()) {
                    try {
                      var s = socket.accept();
                      taken.add(s);
                      Thread.ofVirtual().start(() -> say(s, first, endless));
                    } catch (IOException e) {
                      return;
                    }
                  }
                });
  }

  private static void say(Socket s, String first, boolean endless) {
    try {
      var out = s.getOutputStream();
      out.write(first.getBytes(StandardCharsets.UTF_8));
      out.flush();
      var more = "x".repeat(65_536).getBytes(StandardCharsets.UTF_8);
      while (endless) {
        out.write(more);
      }
    } catch (IOException e) {
      // The other side had enough.
    }
  }

  /** Takes connections and never answers. */
  public static Raw hanging() throws IOException {
    return new Raw("", false);
  }

  /** Answers 200 with a body that has no end. */
  public static Raw endless() throws IOException {
    return new Raw("HTTP/1.1 200 OK\r\nContent-Type: text/plain\r\n\r\n", true);
  }

  /** Answers every request with 200 and counts them. */
  public static HttpServer taking(Runnable each) throws IOException {
    var server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.setExecutor(Executors.newVirtualThreadPerTaskExecutor());
    server.createContext(
        "/",
        exchange -> {
          exchange.getRequestBody().readAllBytes();
          each.run();
          exchange.sendResponseHeaders(200, -1);
          exchange.close();
        });
    server.start();
    return server;
  }

  public String url() {
    return "http://127.0.0.1:" + socket.getLocalPort();
  }

  /** How many connections came. */
  public int connections() {
    return taken.size();
  }

  @Override
  public void close() throws IOException {
    socket.close();
    for (var s : taken) {
      s.close();
    }
    thread.interrupt();
  }
}
