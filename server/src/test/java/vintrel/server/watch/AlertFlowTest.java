package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import com.icegreen.greenmail.util.GreenMail;
import com.icegreen.greenmail.util.ServerSetup;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.util.List;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.regex.Pattern;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.core.watch.WatchState;
import vintrel.server.Pages;
import vintrel.server.RunningServer;

/** From a sample to a mail and a chat message, with the real scheduler, outbox and wires. */
class AlertFlowTest {
  private static final GreenMail MAIL =
      new GreenMail(new ServerSetup(0, "127.0.0.1", ServerSetup.PROTOCOL_SMTP));
  private static final ConcurrentLinkedQueue<String> CHAT = new ConcurrentLinkedQueue<>();
  private static final AtomicInteger REFUSALS = new AtomicInteger(2);
  private static HttpServer chatRoom;

  static {
    MAIL.start();
  }

  @RegisterExtension
  static final RunningServer server =
      new RunningServer(
          "--vintrel.mail.host=127.0.0.1", "--vintrel.mail.port=" + MAIL.getSmtp().getPort());

  @BeforeAll
  static void openChat() throws IOException {
    chatRoom = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    chatRoom.createContext(
        "/room",
        x -> {
          var body = new String(x.getRequestBody().readAllBytes());
          boolean busy = REFUSALS.getAndDecrement() > 0;
          if (!busy) {
            CHAT.add(body);
          }
          x.sendResponseHeaders(busy ? 503 : 204, -1);
          x.close();
        });
    chatRoom.start();
  }

  @AfterAll
  static void close() {
    chatRoom.stop(0);
    MAIL.stop();
  }

  private static void publish(double value) {
    server.post(
        "/api/v1/samples",
        "application/x-www-form-urlencoded",
        "metric=flow.cpu&value=" + value + "&host=nq-app-1");
  }

  private static AlertLog.Alert alert() {
    return server.bean(AlertLog.class).of("flow").stream().findFirst().orElse(null);
  }

  private static boolean mailed(String subject) {
    for (var m : MAIL.getReceivedMessages()) {
      try {
        if (m.getSubject().startsWith(subject)) {
          return true;
        }
      } catch (jakarta.mail.MessagingException e) {
        throw new IllegalStateException(e);
      }
    }
    return false;
  }

  @Test
  void aRuleIsRegisteredRaisedAcknowledgedAndClearedAndEveryoneIsTold() {
    publish(10);
    var yaml =
        """
        kind: recipient
        name: team
        channels: [{mail: team@marrowsound.example}, {chat: "http://127.0.0.1:%d/room"}]
        ---
        kind: routing
        name: main
        routes: [{name: all, to: [team]}]
        ---
        kind: rule
        name: flow
        title: CPU busy
        query: flow.cpu
        unit: "%%"
        every: 5s
        behind: 0s
        limits: [{above: 90, priority: high}]
        """
            .formatted(chatRoom.getAddress().getPort());
    assertThat(server.post("/api/v1/definitions", "application/yaml", yaml).statusCode())
        .isEqualTo(200);
    RunningServer.await("registered", () -> mailed("registered: CPU busy"));
    RunningServer.await("normal", () -> alert() != null && alert().state() == WatchState.NORMAL);

    publish(97);
    RunningServer.await("raised", () -> alert().state() == WatchState.RAISED);
    RunningServer.await("the mail", () -> mailed("raised (high): CPU busy, host nq-app-1"));
    RunningServer.await(
        "the chat, after it refused twice",
        () -> CHAT.stream().anyMatch(c -> c.contains("raised (high)")));

    acknowledgedOnThePage();
    assertThatThrownBy(() -> server.bean(Watcher.class).acknowledge(alert().id(), "kim", ""))
        .hasMessageContaining("already");

    server.stop();
    server.start();
    RunningServer.await(
        "the state after a restart",
        () -> alert() != null && alert().state() == WatchState.ACKNOWLEDGED);

    publish(20);
    RunningServer.await("cleared", () -> alert().state() == WatchState.NORMAL);
    RunningServer.await("the second mail", () -> mailed("cleared (high): CPU busy, host nq-app-1"));
    assertThat(server.bean(AlertLog.class).history("flow", alert().labels(), 10))
        .extracting(p -> p.change().text())
        .containsExactly(
            "cleared",
            "acknowledged",
            "acknowledgement taken back",
            "acknowledged",
            "raised",
            "registered");
    assertThat(server.send(server.to("/api/v1/deliveries")).body())
        .contains("\"state\":\"sent\"", "\"change\":\"cleared\"");
    everyoneIsFoundOnNotifyAndToldAgain();
    var kim = new Pages(server, "EDITOR");
    assertThat(kim.text(post("/notify/recipients/team/message"))).contains("2 test messages");
    RunningServer.await("a test message", () -> mailed("TEST: a message to "));
    assertThat(kim.send(post("/notify/recipients/nobody/message")).getStatus()).isEqualTo(404);
  }

  private static final String LIST = "/watch/list?from=-1h&to=now";

  /** The list, the alert, its rule and the lamp, as a person on duty goes through them. */
  private static void acknowledgedOnThePage() {
    var kim = new Pages(server, "EDITOR");
    long id = alert().id();
    assertThat(kim.text(get("/lamp"))).contains("1").doesNotContain("No alerts");
    assertThat(kim.send(get("/watch")).getRedirectedUrl()).isEqualTo("/watch?from=-6h&to=now");
    assertThat(kim.text(get(LIST)))
        .contains("CPU busy", "nq-app-1", "97 % above 90 %", "Raised", "of 1 series");
    assertThat(kim.text(get(LIST + "&filter=host = 'other'"))).contains("No matching alerts");
    assertThat(kim.text(get(LIST + "&filter=priority = 'high' and host exists&group=host")))
        .contains("host = nq-app-1");
    assertThat(kim.text(get(LIST + "&filter=host ="))).contains("CPU busy");
    assertThat(kim.text(get(LIST + "&states=acknowledged"))).contains("No matching alerts");
    assertThat(kim.text(get("/watch/rules?from=-1h"))).contains("CPU busy", "above 90");
    assertThat(kim.text(get("/watch/rules/flow?from=-1h&to=now")))
        .contains("nq-app-1", "last check");
    // Taken and given back, put away and fetched again; the alert goes on being evaluated.
    var ids = id + ",999999";
    var both = kim.html(post("/watch/alerts/acknowledge").param("ids", ids).param("note", "on it"));
    assertThat(both).contains("\"done\":[" + id + "]", "alert 999999 not found");
    assertThat(alert().state()).isEqualTo(WatchState.ACKNOWLEDGED);
    assertThat(kim.text(get(LIST))).contains("Acknowledged");
    kim.html(post("/watch/alerts/take-back").param("ids", ids));
    assertThat(alert().state()).isEqualTo(WatchState.RAISED);
    assertThat(kim.html(post("/watch/alerts/take-back").param("ids", ids)))
        .contains("this alert is not acknowledged");
    var shelve = post("/watch/alerts/shelve").param("ids", ids).param("note", "until the ferry");
    assertThat(kim.html(shelve.param("until", "2h"))).contains("\"done\":[" + id + "]");
    assertThat(kim.text(get(LIST))).contains("Shelved until", "until the ferry");
    assertThat(kim.text(get(LIST + "&states=raised"))).contains("No matching alerts");
    assertThat(alert().state()).isEqualTo(WatchState.RAISED);
    for (var until : List.of("8d", "yesterday", "2020-01-01 10:00")) {
      var wrong = post("/watch/alerts/shelve").param("ids", ids).param("until", until);
      assertThat(kim.send(wrong).getStatus()).as(until).isEqualTo(400);
    }
    kim.html(post("/watch/alerts/unshelve").param("ids", ids));
    kim.html(post("/watch/alerts/assign").param("ids", ids).param("to", "Ines"));
    assertThat(kim.text(get(LIST))).contains("Assigned to Ines").doesNotContain("Shelved until");
    kim.html(post("/watch/alerts/note").param("ids", ids).param("note", "fan is loud"));
    kim.send(post("/watch/alerts/" + id + "/acknowledge"));
    assertThat(alert().state()).isEqualTo(WatchState.ACKNOWLEDGED);
    assertThat(kim.send(post("/watch/alerts/" + id + "/acknowledge")).getStatus()).isEqualTo(409);
    assertThat(kim.text(get("/watch/alerts/" + id + "?from=-1h&to=now")))
        .contains("on it", "fan is loud", "Clears at or below 90 %.", "until the ferry", "Ines")
        .containsIgnoringCase("acknowledged")
        .containsIgnoringCase("registered")
        .contains("CPU busy", "kim", "97");
    var course = kim.html(get("/watch/alerts/" + id + "/course?from=-5m&to=now"));
    assertThat(course).contains("\"series\":\"host nq-app-1\"", "raised ", "\"look\":\"high\"");
    assertThat(kim.send(get("/watch/alerts/999999")).getStatus()).isEqualTo(404);
    assertThat(kim.send(get("/watch/rules/none?from=-1h")).getStatus()).isEqualTo(404);
    assertThat(server.send(server.to("/api/v1/alerts")).body())
        .contains("\"rule\":\"flow\"", "\"state\":\"Acknowledged\"", "\"priority\":\"high\"");
  }

  private static long mails() {
    return MAIL.getReceivedMessages().length;
  }

  private static void everyoneIsFoundOnNotifyAndToldAgain() {
    var kim = new Pages(server, "EDITOR");
    assertThat(kim.text(get("/notify"))).contains("team", "everything else", "sent");
    assertThat(kim.text(get("/notify/try").param("labels", "host=nq-app-1, site = mid-isles")))
        .contains("Notified: team");
    assertThat(kim.text(get("/notify/try").param("labels", "host=nq-app-1, mid-isles")))
        .contains("`mid-isles` is not a name=value pair")
        .doesNotContain("Notified:");
    var sent =
        Pattern.compile("/notify/deliveries/(\\d+)/resend").matcher(kim.html(get("/notify")));
    assertThat(sent.find()).isTrue();
    long before = mails() + CHAT.size();
    kim.send(post("/notify/deliveries/" + sent.group(1) + "/resend"));
    RunningServer.await("the message again", () -> mails() + CHAT.size() > before);
    // One that is not there changes nothing.
    assertThat(kim.send(post("/notify/deliveries/999999/resend")).getStatus()).isEqualTo(200);
  }
}
