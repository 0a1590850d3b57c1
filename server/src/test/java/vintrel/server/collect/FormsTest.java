package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;

import java.lang.reflect.RecordComponent;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;

/** Whatever is typed into a form, its faults are told at its fields, and what is good is kept. */
class FormsTest {
  private static final String ODD = "\u0000\u0007\t\r\n ,;:='\"{}[]<>$%\\|-+é名\uD800😀0";
  private static final List<String> WORDS =
      List.of(
          "",
          " ",
          "-1",
          "0",
          "1e9",
          "NaN",
          "15s",
          "9999999d",
          "http://",
          "https://a b/",
          "../x",
          "/etc/passwd",
          "a=",
          "=a",
          "a: b",
          "keep where",
          "set a to '{9}' from b matching '(('",
          "a".repeat(5_000),
          "((a{1000}){1000})",
          "null",
          "[]",
          "{{x}}",
          "${jndi:x}");

  /** Fields of documents that the form calls otherwise. */
  private static final Map<String, String> SHOWN_AT =
      Map.of(
          "matches",
          "pattern",
          "method",
          "verb",
          "http",
          "address",
          "tcp",
          "address",
          "dns",
          "address",
          "tls",
          "address",
          "sql",
          "statement");

  private static final JobForm JOB =
      new JobForm(
          "gates",
          "http://127.0.0.1:9/metrics\nhttp://127.0.0.1:10/metrics",
          "",
          "",
          "15s",
          "5s",
          "site=north-quay",
          "Accept: text/plain",
          "keep where metric like 'scan.%'\nrename instance to host",
          "1000",
          "2000000",
          false);

  private static CheckForm check(String kind) {
    var form = CheckForm.empty(kind, "https://booking.marrowsound.example/");
    return changed(form, "name", "booking-page");
  }

  /** A copy with another text in one field. */
  @SuppressWarnings("unchecked")
  private static <T extends Record> T changed(T form, String field, String text) {
    try {
      var parts = form.getClass().getRecordComponents();
      var types = Arrays.stream(parts).map(RecordComponent::getType).toArray(Class<?>[]::new);
      var values = new Object[parts.length];
      for (int i = 0; i < parts.length; i++) {
        values[i] = parts[i].getName().equals(field) ? text : parts[i].getAccessor().invoke(form);
      }
      return (T) form.getClass().getDeclaredConstructor(types).newInstance(values);
    } catch (ReflectiveOperationException e) {
      throw new AssertionError(e);
    }
  }

  private static <T extends Record> T mutated(T form, Random random) {
    var texts =
        Arrays.stream(form.getClass().getRecordComponents())
            .filter(c -> c.getType() == String.class && !c.getName().equals("kind"))
            .toList();
    var out = form;
    for (int k = random.nextInt(3); k >= 0; k--) {
      var field = texts.get(random.nextInt(texts.size()));
      try {
        var old = new StringBuilder((String) field.getAccessor().invoke(out));
        int at = random.nextInt(old.length() + 1);
        switch (random.nextInt(4)) {
          case 0 -> old.insert(at, ODD.charAt(random.nextInt(ODD.length())));
          case 1 -> old.setLength(at);
          case 2 -> old.replace(0, old.length(), WORDS.get(random.nextInt(WORDS.size())));
          default -> old.insert(at, "\n" + WORDS.get(random.nextInt(WORDS.size())));
        }
        out = changed(out, field.getName(), old.toString());
      } catch (ReflectiveOperationException e) {
        throw new AssertionError(e);
      }
    }
    return out;
  }

  private static Set<String> fields(Record form) {
    return Arrays.stream(form.getClass().getRecordComponents())
        .map(RecordComponent::getName)
        .collect(Collectors.toSet());
  }

  /** The definition of a form, or null if its faults are told. */
  private static Definition read(Record form, FormDocument document) {
    try {
      if (document.isFaulty()) {
        told(form, document, List.of());
        return null;
      }
      return Bundle.parse(document.text()).documents().getFirst().definition();
    } catch (DefinitionException e) {
      told(form, document, e.faults());
      return null;
    }
  }

  private static void told(Record form, FormDocument document, List<String> faults) {
    var out = document.faults(faults);
    assertThat(out).as(form.toString()).isNotEmpty();
    out.values().forEach(v -> assertThat(v).as(form.toString()).isNotBlank());
    var fields = fields(form);
    for (var key : out.keySet()) {
      // What belongs to no field is shown above the form.
      var field = SHOWN_AT.getOrDefault(key, key);
      if (field.isEmpty()) {
        continue;
      }
      var parts = field.split("-");
      var name = new StringBuilder(parts[0]);
      for (int i = 1; i < parts.length; i++) {
        name.append(Character.toUpperCase(parts[i].charAt(0))).append(parts[i].substring(1));
      }
      assertThat(fields).as("%s of %s", field, form).contains(name.toString());
    }
  }

  @Test
  void jobs() {
    var random = new Random(21);
    int good = 0;
    for (int i = 0; i < 5_000; i++) {
      var form = i == 0 ? JOB : mutated(JOB, random);
      if (read(form, form.document()) instanceof Definition.OfJob of) {
        good++;
        var again = JobForm.of(of.job());
        assertThat(read(again, again.document())).as(form.toString()).isEqualTo(of);
      }
    }
    assertThat(good).isBetween(500, 4_500);
  }

  @Test
  void checks() {
    var random = new Random(22);
    for (var kind : List.of("http", "tcp", "dns", "tls", "sql")) {
      var start = check(kind);
      int faulty = 0;
      for (int i = 0; i < 2_000; i++) {
        var form = mutated(start, random);
        if (read(form, form.document()) instanceof Definition.OfCheck of) {
          var again = CheckForm.of(of.check());
          assertThat(read(again, again.document())).as(form.toString()).isEqualTo(of);
        } else {
          faulty++;
        }
      }
      assertThat(faulty).as(kind).isGreaterThan(200);
    }
  }
}
