package vintrel.server.web;

import java.time.ZoneId;

/** The time zones that people chose. Any thread. */
public interface PersonZones {
  /** The zone that a person chose, or null. */
  ZoneId zone(String person);

  /** Keeps a person's choice; null takes it back. */
  void choose(String person, ZoneId zone);
}
