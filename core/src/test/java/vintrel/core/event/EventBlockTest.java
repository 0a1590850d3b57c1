package vintrel.core.event;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.DamagedChunkException;
import vintrel.core.frame.JsonPath;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Condition;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;

class EventBlockTest {
  private static final String[] WORDS = {
    "refused", "Accepted", "ticket 17", "", "Überfahrt", "a%b_c", "line\nbreak", "K. at berth"
  };
  private static final String[] FIELDS = {
    "",
    "{}",
    "{\"http\":{\"status\":503}}",
    "{\"http\":{\"status\":200},\"gate\":\"north-1\"}",
    "{\"http.status\":\"503\"}",
    "{\"gate\":\"\"}",
    "no json"
  };

  /** Records in order of time, ids in another. */
  static List<Event> events(Random random, int n) {
    var out = new ArrayList<Event>();
    long time = random.nextLong(-5_000, 2_000_000_000_000L);
    for (int i = 0; i < n; i++) {
      time += random.nextInt(3) == 0 ? 0 : random.nextLong(100_000);
      var labels =
          switch (random.nextInt(4)) {
            case 0 -> Labels.NONE;
            case 1 -> Labels.of("host", "h" + random.nextInt(3));
            case 2 ->
                Labels.of("host", "h" + random.nextInt(3), "gate", "north-" + random.nextInt(2));
            default -> Labels.of("service", "süd", "text", "hidden");
          };
      int level = random.nextInt(Event.LEVELS.size() + 1);
      out.add(
          new Event(
              random.nextLong(1L << 40),
              "main",
              time,
              Records.name(level),
              WORDS[random.nextInt(WORDS.length)] + (random.nextBoolean() ? "" : " " + i),
              labels,
              FIELDS[random.nextInt(FIELDS.length)]));
    }
    return out;
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6})
  void whatIsPackedComesOutAsItWas(long seed) {
    var random = new Random(seed);
    var events = events(random, 1 + random.nextInt(700));
    var block = EventBlock.open(EventBlock.encode(events));
    assertThat(block.count()).isEqualTo(events.size());
    assertThat(IntStream.range(0, block.count()).mapToObj(i -> block.event("main", i)))
        .isEqualTo(events);
    assertThat(EventBlock.sound(EventBlock.encode(events))).isTrue();
  }

  @Test
  void packedRecordsTakeAFractionOfTheirText() {
    var events = new ArrayList<Event>();
    for (int i = 0; i < 4000; i++) {
      var text = "ticket MF-%06d accepted at north-%d".formatted(i * 7919 % 1_000_000, i % 4);
      var fields = "{\"http\":{\"status\":200},\"ms\":" + i % 97 + "}";
      events.add(new Event(i, "main", 1000L * i, "info", text, Labels.of("host", "h1"), fields));
    }
    long raw = events.stream().mapToLong(e -> e.text().length() + e.fields().length() + 30).sum();
    assertThat(EventBlock.encode(events).length).isLessThan((int) (raw / 6));
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3})
  void aFlippedBitOrACutIsNoticed(long seed) {
    var random = new Random(seed);
    var data = EventBlock.encode(events(random, 300));
    for (int n = 0; n < 50; n++) {
      var spoilt = data.clone();
      spoilt[random.nextInt(data.length)] ^= (byte) (1 << random.nextInt(8));
      assertThat(EventBlock.sound(spoilt)).as("seed %d", seed).isFalse();
    }
    var cut = java.util.Arrays.copyOf(data, random.nextInt(data.length));
    assertThatThrownBy(() -> EventBlock.open(cut)).isInstanceOf(DamagedChunkException.class);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "level = 'error'",
        "level != 'error' and level in ('info', 'warn')",
        "not level exists",
        "host = 'h1'",
        "host != 'h1' or level = 'fatal'",
        "gate = 'north-1'",
        "gate exists and not gate like '%-0'",
        "http.status = '503'",
        "http.status in ('200', '503') and level != 'info'",
        "http.status != '503'",
        "http.status matches '^5'",
        "text like '%refused%'",
        "text matches '(?i)REFUSED'",
        "text matches '(?i)k\\. AT'",
        "text matches '(?i)über'",
        "text matches '(?i)t.cket'",
        "text = 'hidden'",
        "not (text like 'ticket%' and host exists)",
        "service = 'süd' or http exists",
        "nowhere = 'x'",
        "nowhere != 'x'"
      })
  void aSieveLetsThroughWhatTheConditionHoldsFor(String text) {
    var where = Parser.parseCondition(text);
    var sieve = new RecordFilter(where);
    for (long seed = 1; seed <= 8; seed++) {
      var random = new Random(seed);
      var events = events(random, 400);
      long from = events.get(random.nextInt(200)).time();
      long to = events.get(200 + random.nextInt(200)).time();
      var wanted =
          IntStream.range(0, events.size())
              .filter(i -> events.get(i).time() >= from && events.get(i).time() < to)
              .filter(i -> slowly(where, events.get(i)))
              .toArray();
      var block = EventBlock.open(EventBlock.encode(events));
      assertThat(sieve.pass(block, from, to)).as("packed, seed %d", seed).isEqualTo(wanted);
      assertThat(sieve.pass(new UnpackedRecords(events), from, to))
          .as("loose, seed %d", seed)
          .isEqualTo(wanted);
      for (int i : wanted) {
        int level = Records.code(events.get(i).level());
        assertThat(sieve.levels() & 1 << level).as("level %d, seed %d", level, seed).isNotZero();
      }
    }
  }

  /** The condition by the book: each name is looked up in the record, then tested as a label. */
  private static boolean slowly(Condition where, Event e) {
    return switch (where) {
      case Condition.And and -> and.parts().stream().allMatch(p -> slowly(p, e));
      case Condition.Or or -> or.parts().stream().anyMatch(p -> slowly(p, e));
      case Condition.Not not -> !slowly(not.part(), e);
      case Condition.Test t -> {
        String value;
        if (t.label().equals("level")) {
          value = e.level();
        } else if (t.label().equals("text")) {
          value = e.text();
        } else if (e.labels().get(t.label()) != null) {
          value = e.labels().get(t.label());
        } else {
          var found = JsonPath.find(e.fields(), List.of(t.label().split("\\.")));
          value = found == null ? null : found.text();
        }
        yield t.accepts(value == null || value.isEmpty() ? null : value);
      }
    };
  }

  @Test
  void onlyLevelsThatCanPassAreAskedFor() {
    int error = 1 << Records.code("error");
    assertThat(new RecordFilter(Parser.parseCondition("level = 'error' and host = 'a'")).levels())
        .isEqualTo(error);
    assertThat(new RecordFilter(Parser.parseCondition("level = 'error' or host = 'a'")).levels())
        .isEqualTo((1 << Event.LEVELS.size() + 1) - 1);
    assertThat(
            Integer.bitCount(new RecordFilter(Parser.parseCondition("level != 'error'")).levels()))
        .isEqualTo(Event.LEVELS.size());
  }

  @Test
  void recordsOfOneTimeKeepTheirOrder() {
    var events = events(new Random(9), 50);
    events.sort(Comparator.comparingLong(Event::time).thenComparingLong(Event::id));
    var block = EventBlock.open(EventBlock.encode(events));
    assertThat(IntStream.range(0, 50).mapToLong(block::id).toArray())
        .isEqualTo(events.stream().mapToLong(Event::id).toArray());
  }
}
