package vintrel.server.tell;

import jakarta.mail.MessagingException;
import java.io.IOException;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.Map;
import org.springframework.mail.MailException;
import org.springframework.mail.javamail.JavaMailSenderImpl;
import org.springframework.mail.javamail.MimeMessageHelper;
import org.springframework.stereotype.Component;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.tell.Backoff;
import vintrel.server.web.OutboundGuard;
import vintrel.server.web.Settings;

/** Hands one message to its channel. */
@Component
class Senders {
  private static final Duration TIMEOUT = Duration.ofSeconds(10);

  private final Settings.Mail settings;
  private final OutboundGuard guard;
  private final JavaMailSenderImpl mail = new JavaMailSenderImpl();
  private final HttpClient http =
      HttpClient.newBuilder()
          .connectTimeout(TIMEOUT)
          .followRedirects(HttpClient.Redirect.NEVER)
          .build();

  Senders(Settings settings, OutboundGuard guard) {
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
   * What the other side said.
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
    } catch (IOException | MailException | MessagingException e) {
      var root = e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
      return new Outcome(false, false, root);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return new Outcome(false, false, "the server is stopping");
    }
  }

  private Outcome mail(DeliveryRow d) throws MessagingException {
    if (settings.host().isEmpty()) {
      return new Outcome(false, false, "no mail server is set (vintrel.mail.host)");
    }
    var message = mail.createMimeMessage();
    var helper = new MimeMessageHelper(message, "UTF-8");
    helper.setFrom(settings.from());
    helper.setTo(d.address);
    helper.setSubject(d.subject);
    helper.setText(d.body);
    message.setHeader("Message-ID", "<" + d.idempotencyKey + "@vintrel>");
    mail.send(message);
    return new Outcome(true, true, "taken by " + settings.host());
  }

  private Outcome post(DeliveryRow d, String type, Map<String, Object> body)
      throws IOException, InterruptedException {
    var request =
        HttpRequest.newBuilder(guard.check(d.address))
            .timeout(TIMEOUT)
            .header("Content-Type", type)
            .header("Idempotency-Key", d.idempotencyKey)
            .POST(HttpRequest.BodyPublishers.ofString(JsonMapper.shared().writeValueAsString(body)))
            .build();
    var answer = http.send(request, HttpResponse.BodyHandlers.ofString());
    boolean ok = answer.statusCode() / 100 == 2;
    return new Outcome(
        ok, ok || Backoff.refused(answer.statusCode()), "answered " + answer.statusCode());
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
