package vintrel.server.web;

import java.util.List;

/** A part of the server that has something for the Go to box. Any thread. */
public interface Places {
  /**
   * Something that can be opened.
   *
   * @param kind as the box shows it before the title: page, dashboard, rule …
   */
  record Place(String kind, String title, String url) {}

  /** What can be opened, as the person who asks may see it; the most wanted first. */
  List<Place> places();
}
