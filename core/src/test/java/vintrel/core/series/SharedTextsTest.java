package vintrel.core.series;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;

class SharedTextsTest {
  private static SeriesKey key(String host, int i) {
    // Texts of their own, as they come from the wire.
    return new SeriesKey(
        new String("main"),
        new String("host.load"),
        Labels.of("host", new String(host), "n", "" + i));
  }

  @Test
  void equalTextsAreOneAndKeysStayEqual() {
    var texts = new SharedTexts(1000);
    var a = texts.of(key("nq-app-1", 1));
    var b = texts.of(key("nq-app-1", 2));
    assertThat(a).isEqualTo(key("nq-app-1", 1)).hasSameHashCodeAs(key("nq-app-1", 1));
    assertThat(b.labels().get("host")).isSameAs(a.labels().get("host"));
    assertThat(b.metric()).isSameAs(a.metric());
    assertThat(texts.of(new SeriesKey("m", Labels.NONE)).labels()).isSameAs(Labels.NONE);
  }

  @Test
  void whenFullFurtherTextsStayAsTheyCame() {
    var texts = new SharedTexts(6);
    var first = texts.of(key("a", 1));
    for (int i = 2; i < 50; i++) {
      assertThat(texts.of(key("h" + i, i))).isEqualTo(key("h" + i, i));
    }
    assertThat(texts.of(key("a", 1)).labels().get("host")).isSameAs(first.labels().get("host"));
    var late = texts.of(key("late", 1)).labels().get("host");
    assertThat(texts.of(key("late", 1)).labels().get("host")).isEqualTo(late).isNotSameAs(late);
    var longer = "x".repeat(201);
    assertThat(texts.of(key(longer, 1)).labels().get("host")).isEqualTo(longer);
  }
}
