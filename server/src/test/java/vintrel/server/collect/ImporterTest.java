package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.store.StoreBusyException;
import vintrel.core.wire.WireException;

class ImporterTest {
  private static final String PAGE =
      """
      # TYPE deck gauge
      deck{ship="Tern"} 40 1000
      deck{ship="Tern"} 41 2000
      broken line here
      deck{ship="Plover"} 12 1000
      # EOF
      """;

  private final SampleStore store = mock(SampleStore.class);
  private final List<Long> progress = new ArrayList<>();

  @BeforeEach
  void anyStore() {
    when(store.find(any())).thenReturn(3);
  }

  private Importer importer() {
    return new Importer(
        () ->
            new StoreSampleSink(
                store, "main", Sender.own("test", Way.IMPORT), null, new CounterStarts()),
        progress::add);
  }

  private Importer.Outcome read(String text, String format) throws IOException {
    var bytes = text.getBytes(StandardCharsets.UTF_8);
    return importer().read(new ByteArrayInputStream(bytes), format, 5000);
  }

  private static Receipt all(SampleBatch batch) {
    return new Receipt(batch.size(), 0, 0);
  }

  @Test
  void whatCanBeReadIsKeptAndTheRestIsToldWithItsLine() throws IOException {
    when(store.append(any())).thenAnswer(i -> all(i.getArgument(0)));
    var outcome = read(PAGE, "openmetrics");
    assertThat(outcome.accepted()).isEqualTo(3);
    assertThat(outcome.refused()).isEqualTo(1);
    assertThat(outcome.why()).contains("line 4");
    assertThat(progress).last().isEqualTo(3L);
  }

  @Test
  void aBusyStoreIsAskedAgainUntilItTakesTheSamples() throws IOException {
    when(store.append(any()))
        .thenThrow(new StoreBusyException("busy", 0))
        .thenThrow(new StoreBusyException("busy", 0))
        .thenAnswer(i -> all(i.getArgument(0)));
    assertThat(read(PAGE, "openmetrics").accepted()).isEqualTo(3);
    verify(store, times(3)).append(any());
  }

  @Test
  void aStoreThatStaysBusyEndsTheImportWithItsReason() {
    when(store.append(any())).thenThrow(new StoreBusyException("the disk is nearly full", 0));
    assertThatThrownBy(() -> read(PAGE, "openmetrics"))
        .isInstanceOf(StoreBusyException.class)
        .hasMessageContaining("nearly full");
  }

  @Test
  void samplesThatTheStoreRefusesAreCounted() throws IOException {
    when(store.append(any())).thenReturn(new Receipt(1, 2, 0));
    var outcome = read(PAGE, "openmetrics");
    assertThat(outcome.accepted()).isEqualTo(1);
    assertThat(outcome.refused()).as("two that are too old, and a line").isEqualTo(3);
  }

  @Test
  void anUnknownFormatIsNamed() {
    when(store.append(any())).thenAnswer(i -> all(i.getArgument(0)));
    assertThatThrownBy(() -> read("a,b", "xlsx"))
        .isInstanceOf(WireException.class)
        .hasMessageContaining("csv or openmetrics, not `xlsx`");
  }

  @Test
  void manySamplesAreKeptInParts() throws IOException {
    when(store.append(any())).thenAnswer(i -> all(i.getArgument(0)));
    var page = new StringBuilder("# TYPE deck gauge\n");
    for (int i = 0; i < 120_000; i++) {
      page.append("deck ").append(i).append(' ').append(i).append('\n');
    }
    assertThat(read(page.append("# EOF\n").toString(), "openmetrics").accepted())
        .isEqualTo(120_000);
    assertThat(progress).hasSizeGreaterThan(1).isSorted().last().isEqualTo(120_000L);
  }
}
