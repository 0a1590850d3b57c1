package vintrel.demo;

import com.icegreen.greenmail.util.GreenMail;
import com.icegreen.greenmail.util.ServerSetup;
import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import jakarta.mail.MessagingException;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.URLDecoder;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentLinkedDeque;
import java.util.concurrent.Executors;

/**
 * What a real site has around Vintrel, on loopback only: a mail server with an inbox page, a chat
 * room that takes webhooks, a fleet controller whose buttons change the fleet, and scrape targets.
 */
final class DemoServices implements AutoCloseable {
  private static final int KEPT = 200;
  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("d MMM HH:mm:ss 'UTC'", Locale.ENGLISH).withZone(ZoneOffset.UTC);

  private final Fleet fleet;
  private final Runnable pulse;
  private final int port;
  private final GreenMail mail;
  private final ConcurrentLinkedDeque<String[]> chat = new ConcurrentLinkedDeque<>();
  private HttpServer http;
  private volatile boolean closed;

  /**
   * @param pulse sends the fleet's present values at once, so that a button shows its effect soon
   */
  DemoServices(Fleet fleet, int port, int mailPort, Runnable pulse) {
    this.fleet = fleet;
    this.port = port;
    this.pulse = pulse;
    var setup = new ServerSetup(mailPort, "127.0.0.1", ServerSetup.PROTOCOL_SMTP);
    this.mail = new GreenMail(setup);
  }

  void start() throws IOException {
    mail.start();
    http = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), port), 0);
    http.setExecutor(Executors.newVirtualThreadPerTaskExecutor());
    http.createContext("/", x -> page(x, "Stand-ins", index()));
    http.createContext("/inbox", x -> page(x, "Inbox", inbox()));
    http.createContext("/chat", this::chat);
    http.createContext("/fleet", this::controller);
    http.createContext("/targets/", this::target);
    http.createContext("/site/", this::site);
    http.start();
    Thread.ofVirtual().name("link to mid-isles").start(this::link);
  }

  private static String index() {
    return "<p>Services that the demo runs around Vintrel.</p><ul><li><a href='/inbox'>Inbox</a>:"
        + " mails that were delivered<li><a href='/chat'>Chat room</a>: messages that were"
        + " posted<li><a href='/fleet'>Fleet controller</a>: make a host busy, restart a"
        + " service</ul>";
  }

  private String inbox() {
    var out = new StringBuilder();
    var messages = mail.getReceivedMessages();
    for (int i = messages.length - 1; i >= Math.max(0, messages.length - KEPT); i--) {
      try {
        var m = messages[i];
        out.append("<article><header><b>")
            .append(escape(m.getSubject()))
            .append("</b><span>to ")
            .append(escape(m.getAllRecipients()[0].toString()))
            .append("</span></header><pre>")
            .append(escape(String.valueOf(m.getContent())))
            .append("</pre></article>");
      } catch (MessagingException | IOException e) {
        out.append("<article>unreadable mail</article>");
      }
    }
    return out.isEmpty() ? "<p>No mail yet.</p>" : out.toString();
  }

  private void chat(HttpExchange x) throws IOException {
    if (x.getRequestMethod().equals("POST")) {
      var body = new String(x.getRequestBody().readAllBytes(), StandardCharsets.UTF_8);
      chat.addFirst(new String[] {TIME.format(Instant.now()), jsonText(body)});
      while (chat.size() > KEPT) {
        chat.removeLast();
      }
      answer(x, 204, "text/plain", "");
      return;
    }
    var out = new StringBuilder();
    for (var m : chat) {
      out.append("<article><header><b>Vintrel</b><span>")
          .append(m[0])
          .append("</span></header><pre>")
          .append(escape(m[1]))
          .append("</pre></article>");
    }
    page(x, "Chat room", out.isEmpty() ? "<p>No messages yet.</p>" : out.toString());
  }

  /** The text of {"text": "…"}; nothing else is ever posted here. */
  private static String jsonText(String body) {
    var m =
        java.util.regex.Pattern.compile("\"text\"\\s*:\\s*\"((?:[^\"\\\\]|\\\\.)*)\"")
            .matcher(body);
    return m.find()
        ? m.group(1).replace("\\n", "\n").replace("\\\"", "\"").replace("\\\\", "\\")
        : body;
  }

  private void controller(HttpExchange x) throws IOException {
    if (x.getRequestMethod().equals("POST")) {
      var form = form(new String(x.getRequestBody().readAllBytes(), StandardCharsets.UTF_8));
      long now = System.currentTimeMillis();
      switch (x.getRequestURI().getPath()) {
        case "/fleet/busy" ->
            fleet.busy(
                form.get("host"), now + 1000 * Long.parseLong(form.getOrDefault("seconds", "300")));
        case "/fleet/link" -> fleet.takeLinkDown(now + Fleet.LINK_OUT);
        case "/fleet/calm" -> fleet.busy(form.get("host"), 0);
        case "/fleet/restart" -> fleet.restart(form.get("instance"), now);
        default -> {
          answer(x, 404, "text/plain", "unknown command");
          return;
        }
      }
      pulse.run();
      x.getResponseHeaders().add("Location", "/fleet");
      answer(x, 303, "text/plain", "");
      return;
    }
    page(x, "Fleet controller", fleetTable());
  }

  private String fleetTable() {
    long now = System.currentTimeMillis();
    var out = new StringBuilder("<table><tr><th>Host<th>Load<th></tr>");
    for (var host : fleet.hosts()) {
      boolean busy = fleet.isBusy(host, now);
      out.append("<tr><td>")
          .append(host)
          .append("<td>")
          .append(busy ? "busy" : "normal")
          .append("<td>");
      out.append(
          busy
              ? button("/fleet/calm", "host", host, "", "Stop the load")
              : button("/fleet/busy", "host", host, "300", "Load it for 5 min"));
    }
    out.append("</table><h2>Links</h2><p>mid-isles: ").append(fleet.linkDown(now) ? "down" : "up");
    if (!fleet.linkDown(now)) {
      out.append(button("/fleet/link", "site", "mid-isles", "", "Take it down for 12 min"));
    }
    out.append("</p><h2>Services</h2><table><tr><th>Instance<th></tr>");
    for (var instance : fleet.instances()) {
      out.append("<tr><td>").append(instance).append("<td>");
      out.append(button("/fleet/restart", "instance", instance, "", "Restart"));
    }
    return out.append("</table>").toString();
  }

  private static String button(String to, String name, String value, String seconds, String text) {
    return "<form method='post' action='"
        + to
        + "'><input type='hidden' name='"
        + name
        + "' value='"
        + value
        + "'><input type='hidden' name='seconds' value='"
        + seconds
        + "'><button>"
        + text
        + "</button></form>";
  }

  /** The gate scanners of a site, as an OpenMetrics page. */
  private void target(HttpExchange x) throws IOException {
    var site = x.getRequestURI().getPath().replaceFirst("^/targets/", "");
    if (!Fleet.SITES.containsKey(site)) {
      answer(x, 404, "text/plain", "no such target");
      return;
    }
    long t = System.currentTimeMillis();
    var out = new StringBuilder();
    out.append("# TYPE scanner_battery_percent gauge\n# UNIT scanner_battery_percent percent\n");
    for (int i = 1; i <= 4; i++) {
      long s = site.hashCode() + i;
      double v = 70 + 25 * Noise.slow(s, t, 3 * Fleet.HOUR);
      out.append("scanner_battery_percent{scanner=\"").append(i).append("\",site=\"").append(site);
      out.append("\"} ").append(Fleet.round(v, 0.1)).append('\n');
    }
    out.append("# TYPE scanner_temperature_celsius gauge\n");
    out.append("# UNIT scanner_temperature_celsius celsius\n");
    for (int i = 1; i <= 4; i++) {
      long s = site.hashCode() + 10 + i;
      double v = 24 + 6 * Noise.slow(s, t, Fleet.HOUR);
      out.append("scanner_temperature_celsius{scanner=\"")
          .append(i)
          .append("\",site=\"")
          .append(site);
      out.append("\"} ").append(Fleet.round(v, 0.1)).append('\n');
    }
    out.append("# EOF\n");
    answer(x, 200, "application/openmetrics-text; version=1.0.0; charset=utf-8", out.toString());
  }

  /** The company's web pages, as checks see them. */
  private void site(HttpExchange x) throws IOException {
    var path = x.getRequestURI().getPath();
    if (path.endsWith("/payments") && CheckHistory.isSlow(System.currentTimeMillis())) {
      try {
        Thread.sleep(1_300);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      }
    }
    switch (path) {
      case "/site/booking" ->
          answer(x, 200, "text/html; charset=utf-8", "<h1>Sailings of today</h1><p>Tern 18:00</p>");
      case "/site/payments", "/site/gates" ->
          answer(x, 200, "application/json", "{\"status\":\"ok\"}");
      default -> answer(x, 404, "text/plain", "no such page");
    }
  }

  /** A port that listens while the link to mid-isles is up. */
  private void link() {
    java.net.ServerSocket open = null;
    try {
      while (!closed) {
        boolean down = fleet.linkDown(System.currentTimeMillis());
        if (down && open != null) {
          open.close();
          open = null;
        } else if (!down && open == null) {
          open = new java.net.ServerSocket(port + 2, 50, InetAddress.getLoopbackAddress());
          open.setSoTimeout(500);
        }
        if (open == null) {
          Thread.sleep(500);
        } else {
          accept(open);
        }
      }
    } catch (IOException e) {
      System.err.println("demo: the stand-in of the link ended: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    } finally {
      close(open);
    }
  }

  private static void close(java.io.Closeable what) {
    try {
      if (what != null) {
        what.close();
      }
    } catch (IOException e) {
      // It is closed then.
    }
  }

  private static void accept(java.net.ServerSocket open) throws IOException {
    try {
      open.accept().close();
    } catch (java.net.SocketTimeoutException e) {
      // Nobody came.
    }
  }

  private static Map<String, String> form(String body) {
    var out = new TreeMap<String, String>();
    for (var pair : body.split("&")) {
      int e = pair.indexOf('=');
      if (e > 0 && e < pair.length() - 1) {
        out.put(
            pair.substring(0, e), URLDecoder.decode(pair.substring(e + 1), StandardCharsets.UTF_8));
      }
    }
    return out;
  }

  private static String escape(String s) {
    return s == null ? "" : s.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;");
  }

  private static void page(HttpExchange x, String title, String body) throws IOException {
    var html =
        """
        <!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><meta http-equiv="refresh" content="3"><title>%s · Marrowsound</title><style>
        body{font:15px/1.45 system-ui,sans-serif;max-width:760px;margin:24px auto;padding:0 16px;background:#f4f2ee;color:#222}
        nav{display:flex;gap:16px;margin-bottom:18px}article{background:#fff;border:1px solid #ddd;border-radius:4px;padding:10px 14px;margin-bottom:10px}
        header{display:flex;justify-content:space-between;gap:12px}header span{color:#666;font-size:13px;white-space:nowrap}pre{white-space:pre-wrap;font:13px/1.4 ui-monospace,monospace;margin:8px 0 0}
        td,th{text-align:left;padding:3px 18px 3px 0}form{margin:0}h1{font-size:21px}h2{font-size:16px;margin-top:24px}</style></head>
        <body><nav><a href="/inbox">Inbox</a><a href="/chat">Chat room</a><a href="/fleet">Fleet controller</a></nav><h1>%s</h1>%s</body></html>
        """
            .formatted(title, title, body);
    answer(x, 200, "text/html; charset=utf-8", html);
  }

  private static void answer(HttpExchange x, int status, String type, String body)
      throws IOException {
    var bytes = body.getBytes(StandardCharsets.UTF_8);
    x.getResponseHeaders().set("Content-Type", type);
    x.sendResponseHeaders(status, bytes.length == 0 ? -1 : bytes.length);
    if (bytes.length > 0) {
      x.getResponseBody().write(bytes);
    }
    x.close();
  }

  @Override
  public void close() {
    closed = true;
    if (http != null) {
      http.stop(0);
    }
    mail.stop();
  }
}
