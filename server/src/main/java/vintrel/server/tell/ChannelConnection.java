package vintrel.server.tell;

import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Component;
import vintrel.core.collect.ConnectionSteps;
import vintrel.core.tell.Channel;
import vintrel.server.reach.Reach;
import vintrel.server.web.Settings;

/** Tests the connection of a channel: up to the sign-in; no message is sent. */
@Component
class ChannelConnection {
  private final Reach reach;
  private final Senders senders;
  private final Settings.Mail mail;

  ChannelConnection(Reach reach, Senders senders, Settings settings) {
    this.reach = reach;
    this.senders = senders;
    this.mail = settings.mail();
  }

  /** A channel that was tested. */
  public record Tested(String channel, List<ConnectionSteps.Step> steps) {}

  Tested of(Channel channel) {
    return switch (channel) {
      case Channel.Mail m -> new Tested("mail to " + m.address(), mail());
      case Channel.Chat c -> new Tested("chat", post(c.url()));
      case Channel.Webhook w -> new Tested("webhook", post(w.url()));
    };
  }

  private List<ConnectionSteps.Step> mail() {
    if (mail.host().isEmpty()) {
      return new ConnectionSteps()
          .bad("Mail server", "none is configured", "set vintrel.mail.host")
          .steps();
    }
    var steps = reach.tcp(mail.host(), mail.port());
    if (steps.hasFailed()) {
      return steps.ok("Greeting", "").ok("Sign-in", "").steps();
    }
    var trouble = senders.signInTrouble();
    if (trouble.isEmpty()) {
      steps
          .ok("Greeting", "")
          .ok("Sign-in", mail.username().isEmpty() ? "not asked for" : "as " + mail.username());
    } else if (trouble.signIn()) {
      steps
          .ok("Greeting", "")
          .bad("Sign-in", trouble.text(), "check user and password of the mail server");
    } else {
      steps
          .bad("Greeting", trouble.text(), "check that a mail server listens on this port")
          .ok("Sign-in", "");
    }
    return steps.steps();
  }

  /** Addresses that take messages by POST seldom answer HEAD with success: any answer will do. */
  private List<ConnectionSteps.Step> post(String url) {
    var asked = reach.http(url, "head", Map.of());
    return asked.steps().clock(asked.finding().clockAhead()).steps();
  }
}
