package vintrel.server.collect;

import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.stream.Stream;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import vintrel.server.web.Places;

/** The pages of Collect and the sources, for the Go to box. */
@Component
@Order(30)
class SourcePlaces implements Places {
  private static final List<Place> PAGES =
      List.of(
          new Place("page", "Scrape jobs", "/collect/jobs"),
          new Place("page", "Checks", "/collect/checks"),
          new Place("page", "Collectors", "/collect/collectors"),
          new Place("page", "Resources: which attributes become labels", "/collect/resources"),
          new Place("page", "Tokens", "/collect/tokens"),
          new Place("page", "Stores and retention", "/collect/stores"),
          new Place("page", "External stores", "/collect/elsewhere"),
          new Place("act", "Connect a source", "/collect/connect"),
          new Place("act", "Import a file", "/collect/import"));

  private final SourceBook book;

  SourcePlaces(SourceBook book) {
    this.book = book;
  }

  @Override
  public List<Place> places() {
    var sources =
        book.all().stream()
            .map(s -> s.name())
            .distinct()
            .map(
                name ->
                    new Place(
                        "source",
                        name,
                        "/collect?search=" + URLEncoder.encode(name, StandardCharsets.UTF_8)));
    return Stream.concat(PAGES.stream(), sources).toList();
  }
}
