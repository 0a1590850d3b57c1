package vintrel.server.tell;

import jakarta.mail.MessagingException;
import jakarta.mail.internet.MimeMessage;
import java.io.IOException;
import java.time.Duration;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.atomic.AtomicReference;
import org.springframework.mail.MailException;
import org.springframework.mail.javamail.JavaMailSenderImpl;
import org.springframework.mail.javamail.MimeMessageHelper;
import org.springframework.stereotype.Component;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.tell.Backoff;
import vintrel.server.access.Vault;
import vintrel.server.web.OutboundGuard;
import vintrel.server.web.Outgoing;
import vintrel.server.web.Settings;

/** Hands one message to its channel. */
@Component
class Senders {
  /** ms for a whole exchange. */
  private static final long TIMEOUT = 10_000;

  private static final long MAIL_TIMEOUT = 60_000;

  /** Bytes of an answer; nothing of it is used. */
  private static final long MAX_ANSWER = 100_000;

  private final Settings.Mail settings;
  private final OutboundGuard guard;
  private final JavaMailSenderImpl mail = new JavaMailSenderImpl();
  private final Outgoing outgoing;
  private final Vault vault;

  Senders(Settings settings, OutboundGuard guard, Outgoing outgoing, Vault vault) {
    this.vault = vault;
    this.outgoing = outgoing;
    this.settings = settings.mail();
    this.guard = guard;
    mail.setHost(this.settings.host());
    mail.setPort(this.settings.port());
    if (!this.settings.username().isEmpty()) {
      mail.setUsername(this.settings.username());
      mail.setPassword(this.settings.password());
    }
    var properties = mail.getJavaMailProperties();
    for (var timeout : new String[] {"connectiontimeout", "timeout", "writetimeout"}) {
      properties.put("mail.smtp." + timeout, "10000");
    }
  }

  /**
   * The response of the other side.
   *
   * @param last trying again is of no use
   */
  record Outcome(boolean ok, boolean last, String answer) {}

  Outcome send(DeliveryRow d) {
    try {
      return switch (d.channel) {
        case "mail" -> mail(d);
        case "chat" -> post(d, "application/json", Map.of("text", d.subject + "\n" + d.body));
        default -> post(d, "application/cloudevents+json", cloudEvent(d));
      };
    } catch (IllegalArgumentException e) {
      return new Outcome(false, true, e.getMessage());
    } catch (IOException | MailException | MessagingException | IllegalStateException e) {
      var root = e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
      return new Outcome(false, false, root);
    }
  }

  /**
   * Why the mail server lets nobody in.
   *
   * @param signIn whether it greets, but refuses user or password
   */
  record Trouble(String text, boolean signIn) {
    boolean isEmpty() {
      return text.isEmpty();
    }
  }

  /** Greets the mail server and signs in. */
  Trouble signInTrouble() {
    try {
      mail.testConnection();
      return new Trouble("", false);
    } catch (jakarta.mail.AuthenticationFailedException e) {
      return new Trouble(e.getMessage() == null ? "refused" : e.getMessage(), true);
    } catch (MessagingException e) {
      return new Trouble(e.getMessage() == null ? "no greeting" : e.getMessage(), false);
    }
  }

  private Outcome mail(DeliveryRow d) throws MessagingException {
    if (settings.host().isEmpty()) {
      return new Outcome(false, true, "no mail server configured; set vintrel.mail.host");
    }
    var message = mail.createMimeMessage();
    var helper = new MimeMessageHelper(message, "UTF-8");
    helper.setFrom(settings.from());
    helper.setTo(d.address);
    helper.setSubject(d.subject);
    helper.setText(d.body);
    message.setHeader("Message-ID", "<" + d.idempotencyKey + "@vintrel>");
    return handed(message);
  }

  /** A mail server may answer a byte at a time for ever: the whole exchange has a deadline. */
  private Outcome handed(MimeMessage message) {
    var failed = new AtomicReference<RuntimeException>();
    var sending =
        Thread.ofVirtual()
            .name("mail")
            .start(
                () -> {
                  try {
                    mail.send(message);
                  } catch (RuntimeException e) {
                    failed.set(e);
                  }
                });
    try {
      if (!sending.join(Duration.ofMillis(MAIL_TIMEOUT))) {
        // Closes the socket under it.
        sending.interrupt();
        return new Outcome(false, false, "no complete response within " + MAIL_TIMEOUT + " ms");
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return new Outcome(false, false, "the server is stopping");
    }
    if (failed.get() != null) {
      throw failed.get();
    }
    return new Outcome(true, true, "accepted by " + settings.host());
  }

  private Outcome post(DeliveryRow d, String type, Map<String, Object> body) throws IOException {
    var headers = Map.of("Content-Type", type, "Idempotency-Key", d.idempotencyKey);
    var answer =
        outgoing.call(
            new Outgoing.Call(
                "POST",
                guard.check(vault.revealed(d.address)),
                headers,
                JsonMapper.shared().writeValueAsBytes(body),
                TIMEOUT,
                MAX_ANSWER));
    boolean ok = answer.status() / 100 == 2;
    return new Outcome(ok, ok || Backoff.refused(answer.status()), "answered " + answer.status());
  }

  /** CloudEvents 1.0 in structured mode. */
  private static Map<String, Object> cloudEvent(DeliveryRow d) {
    var event = new LinkedHashMap<String, Object>();
    event.put("specversion", "1.0");
    event.put("id", d.idempotencyKey);
    event.put("source", "vintrel/rules/" + d.rule);
    event.put("type", "vintrel.alert." + d.change);
    event.put("time", Instant.ofEpochMilli(d.madeAt).toString());
    event.put("datacontenttype", "application/json");
    event.put("data", Map.of("series", d.series, "subject", d.subject, "text", d.body));
    return event;
  }
}
