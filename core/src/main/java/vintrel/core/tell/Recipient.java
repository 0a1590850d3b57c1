package vintrel.core.tell;

import java.util.List;

/** A person, team or system that can be notified. */
public record Recipient(String name, String title, List<Channel> channels) {
  public Recipient {
    channels = List.copyOf(channels);
  }
}
