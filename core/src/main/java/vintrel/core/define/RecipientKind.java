package vintrel.core.define;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.define.Shape.Field;
import vintrel.core.tell.Channel;
import vintrel.core.tell.Recipient;

/** {@code kind: recipient}. */
final class RecipientKind implements Kind<Definition.OfRecipient> {
  /** RFC 5321, 4.5.3.1: a path. */
  private static final int MAX_MAIL = 256;

  private static final Shape.Fields CHANNEL =
      new Shape.Fields(
              Field.of(
                  "mail",
                  new Shape.Text(MAX_MAIL, "[^@\\s]+@[^@\\s]+", "'{}' is not a mail address"),
                  "A mail address."),
              Field.of("chat", Checks.ADDRESS, "A chat room that takes a text by POST."),
              Field.of("webhook", Checks.ADDRESS, "A receiver of CloudEvents."))
          .oneOf("mail", "chat", "webhook");

  private static final Shape.Fields SHAPE =
      new Shape.Fields(
          KIND,
          NAME,
          Field.of("title", Shape.text(200), "The name that people read. Default: the name."),
          Field.of(
                  "channels",
                  new Shape.ListOf(CHANNEL, 1, 50, false, "a recipient has 1 to 50 channels"),
                  "Where messages go.")
              .needed());

  @Override
  public String name() {
    return "recipient";
  }

  @Override
  public Shape.Fields shape() {
    return SHAPE;
  }

  @Override
  public Class<Definition.OfRecipient> type() {
    return Definition.OfRecipient.class;
  }

  @Override
  public Definition.OfRecipient read(Node doc, String path, List<String> faults) {
    var channels = doc.objects("channels").stream().map(RecipientKind::channel).toList();
    var name = doc.text("name");
    return new Definition.OfRecipient(new Recipient(name, doc.text("title", name), channels));
  }

  private static Channel channel(Node c) {
    return c.has("mail")
        ? new Channel.Mail(c.text("mail"))
        : c.has("chat") ? new Channel.Chat(c.text("chat")) : new Channel.Webhook(c.text("webhook"));
  }

  @Override
  public Map<String, Object> write(Definition.OfRecipient definition) {
    var r = definition.recipient();
    var out = new LinkedHashMap<String, Object>();
    Kinds.put(out, "title", r.title(), r.name());
    out.put("channels", r.channels().stream().map(RecipientKind::write).toList());
    return out;
  }

  private static Map<String, Object> write(Channel channel) {
    return switch (channel) {
      case Channel.Mail m -> Map.of("mail", m.address());
      case Channel.Chat c -> Map.of("chat", c.url());
      case Channel.Webhook w -> Map.of("webhook", w.url());
    };
  }

  @Override
  public Map<String, Object> example() {
    return Documents.map(
        """
        kind: recipient
        name: boarding-team
        title: Boarding team
        channels:
        - mail: boarding@marrowsound.example
        - webhook: https://hooks.marrowsound.example/boarding
        """);
  }
}
