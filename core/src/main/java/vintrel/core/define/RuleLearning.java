package vintrel.core.define;

import java.time.DateTimeException;
import java.time.Instant;
import java.time.OffsetDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Map;
import vintrel.core.define.Shape.Field;
import vintrel.core.watch.Rule.Learning;

/** From what the expected band of a rule is learned, as documents write it. Any thread. */
final class RuleLearning {
  static final String ZONE = "zone";
  static final String LEAVE_OUT = "leave-out";
  private static final int MOST = 100;

  static final Field ZONE_FIELD =
      Field.of(ZONE, Shape.text(80), "The time zone whose days and weeks an expected band follows.")
          .or("UTC")
          .checked(Checks::zone);

  static final Field LEAVE_OUT_FIELD =
      Field.of(
              LEAVE_OUT,
              new Shape.ListOf(Shape.text(80), MOST),
              "Times that an expected band does not learn from, as ISO 8601 writes intervals.")
          .checked(RuleLearning::fault);

  private RuleLearning() {}

  private static String fault(Object spans) {
    for (var text : (List<?>) spans) {
      try {
        span(text.toString());
      } catch (IllegalArgumentException e) {
        return e.getMessage();
      }
    }
    return null;
  }

  private static Learning.Span span(String text) {
    var ends = text.strip().split("/", -1);
    try {
      if (ends.length == 2) {
        var span = new Learning.Span(at(ends[0]), at(ends[1]));
        if (span.from() < span.to()) {
          return span;
        }
      }
    } catch (DateTimeException e) {
      // Said below.
    }
    throw new IllegalArgumentException(
        "must be a start and a later end, such as 2026-11-20T03:00Z/2026-11-20T09:00Z, not '%s'"
            .formatted(text));
  }

  private static long at(String text) {
    return OffsetDateTime.parse(text).toInstant().toEpochMilli();
  }

  static Learning read(Node rule) {
    var zone = rule.text(ZONE);
    return new Learning(
        zone.isEmpty() ? ZoneOffset.UTC : ZoneId.of(zone).normalized(),
        rule.texts(LEAVE_OUT).stream().map(RuleLearning::span).toList());
  }

  static void write(Learning learning, Map<String, Object> into) {
    var zone = learning.zone().equals(ZoneOffset.UTC) ? "UTC" : learning.zone().getId();
    Kinds.put(into, ZONE, zone, "UTC");
    var spans =
        learning.except().stream()
            .map(s -> Instant.ofEpochMilli(s.from()) + "/" + Instant.ofEpochMilli(s.to()))
            .toList();
    Kinds.put(into, LEAVE_OUT, spans, List.of());
  }
}
