package vintrel.core.tell;

/** A way to reach a recipient. */
public sealed interface Channel {
  /** mail, chat or webhook. */
  String kind();

  /** The address as it may be shown; without what could be a secret. */
  String shown();

  record Mail(String address) implements Channel {
    @Override
    public String kind() {
      return "mail";
    }

    @Override
    public String shown() {
      return address;
    }
  }

  /** A chat room that takes {@code {"text": …}} by POST. */
  record Chat(String url) implements Channel {
    @Override
    public String kind() {
      return "chat";
    }

    @Override
    public String shown() {
      return withoutPath(url);
    }
  }

  /** A CloudEvents receiver (structured mode, JSON). */
  record Webhook(String url) implements Channel {
    @Override
    public String kind() {
      return "webhook";
    }

    @Override
    public String shown() {
      return withoutPath(url);
    }
  }

  private static String withoutPath(String url) {
    int slash = url.indexOf('/', url.indexOf("://") + 3);
    return slash < 0 ? url : url.substring(0, slash) + "/…";
  }
}
