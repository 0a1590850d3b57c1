package vintrel.core.tell;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class ScheduleTest {
  private static final long HOUR = 3_600_000;
  private static final ZoneId OSLO = ZoneId.of("Europe/Oslo");

  private static Schedule weekly(LocalDate... except) {
    return new Schedule(
        LocalDateTime.parse("2026-03-15T02:00"),
        2 * HOUR,
        "FREQ=WEEKLY;BYDAY=SU",
        OSLO,
        Set.of(except));
  }

  private static long at(String time) {
    return Instant.parse(time).toEpochMilli();
  }

  @Test
  void localTimeStaysWhenClocksChange() {
    var spans = weekly().between(at("2026-03-15T00:00:00Z"), at("2026-04-06T00:00:00Z"));
    assertThat(spans)
        .extracting(s -> Instant.ofEpochMilli(s.from()).toString())
        .containsExactly(
            "2026-03-15T01:00:00Z",
            "2026-03-22T01:00:00Z",
            // 02:00 does not exist on that day: 03:00 summer time.
            "2026-03-29T01:00:00Z",
            "2026-04-05T00:00:00Z");
  }

  @Test
  void theEndIsExclusiveAndDaysAreLeftOut() {
    var s = weekly(LocalDate.parse("2026-03-22"));
    assertThat(s.at(at("2026-03-15T01:00:00Z"))).isNotNull();
    assertThat(s.at(at("2026-03-15T00:59:59Z"))).isNull();
    assertThat(s.at(at("2026-03-15T03:00:00Z"))).isNull();
    assertThat(s.at(at("2026-03-22T01:30:00Z"))).isNull();
    assertThat(s.leftOut(at("2026-03-20T00:00:00Z"), at("2026-03-24T00:00:00Z"))).hasSize(1);
    assertThat(s.at(at("2026-03-08T01:30:00Z"))).as("before the first").isNull();
  }

  @Test
  void anEndInUtcOrOfADayIncludesItsLastOccurrence() {
    for (var until : List.of("20260329T010000Z", "20260329T030000", "20260329")) {
      var s =
          new Schedule(
              LocalDateTime.parse("2026-03-15T02:00"),
              HOUR,
              "FREQ=WEEKLY;UNTIL=" + until,
              OSLO,
              Set.of());
      assertThat(s.between(at("2026-03-01T00:00:00Z"), at("2026-06-01T00:00:00Z")))
          .as(until)
          .hasSize(3);
    }
  }

  @Test
  void whatBeganLongAgoStillComes() {
    var s =
        new Schedule(
            LocalDateTime.parse("2000-01-01T02:00"), HOUR, "FREQ=DAILY", ZoneOffset.UTC, Set.of());
    assertThat(s.at(at("2099-06-01T02:30:00Z"))).isNotNull();
    assertThat(s.at(at("2099-06-01T03:00:00Z"))).isNull();
  }

  @Test
  void rulesThatAreNotSupportedSayWhy() {
    assertThat(Schedule.fault("")).isNull();
    assertThat(Schedule.fault("FREQ=MONTHLY;BYDAY=1SU;UNTIL=20270101T000000Z")).isNull();
    assertThat(Schedule.fault("FREQ=SECONDLY")).contains("DAILY");
    assertThat(Schedule.fault("every sunday")).contains("RFC 5545");
    assertThat(Schedule.fault("BYDAY=SU")).contains("FREQ");
    assertThat(Schedule.fault("FREQ=DAILY;BYHOUR=1,2")).contains("BYHOUR");
  }

  /** Against walking day by day. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6})
  void everyNthDayIsWhatAWalkFinds(long seed) {
    var random = new Random(seed);
    int interval = 1 + random.nextInt(5);
    int count = 5 + random.nextInt(40);
    var zone = List.of(OSLO, ZoneOffset.UTC, ZoneId.of("America/New_York")).get(random.nextInt(3));
    var start = LocalDateTime.of(2026, 1 + random.nextInt(12), 1, random.nextInt(24), 0);
    long lasts = (1 + random.nextInt(60)) * HOUR;
    var s =
        new Schedule(
            start,
            lasts,
            "FREQ=DAILY;INTERVAL=%d;COUNT=%d".formatted(interval, count),
            zone,
            Set.of());
    for (int i = 0; i < 300; i++) {
      long t =
          start.atZone(zone).toInstant().toEpochMilli() + random.nextLong(-99, 200 * 24) * HOUR;
      long end = Long.MIN_VALUE;
      for (int k = 0; k < count; k++) {
        long from = start.plusDays((long) k * interval).atZone(zone).toInstant().toEpochMilli();
        if (from <= t && t < from + lasts) {
          end = from + lasts;
        }
      }
      var found = s.at(t);
      assertThat(found == null ? Long.MIN_VALUE : found.to()).as("seed %d", seed).isEqualTo(end);
    }
  }
}
