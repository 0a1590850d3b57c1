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
    // Host and port: whatever follows may be a secret, or the reference of one.
    int host = url.indexOf("://") + 3;
    int slash = url.indexOf('/', host);
    return slash < 0 ? url.substring(host) : url.substring(host, slash);
  }
}
