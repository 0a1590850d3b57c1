package vintrel.server.database;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.spy;

import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.junit.jupiter.api.io.TempDir;
import org.mockito.Mockito;
import vintrel.core.store.StoreBusyException;
import vintrel.server.RunningServer;
import vintrel.server.SettableClock;
import vintrel.server.web.Settings;

/** One of several servers on a database takes samples. */
class SampleOwnerTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private final SettableClock clock = SettableClock.at(Instant.parse("2026-11-26T00:00:00Z"));
  @TempDir private Path folder;

  @BeforeEach
  void nobody() {
    server
        .bean(Database.class)
        .run(s -> s.createMutationQuery("delete from Lease").executeUpdate());
  }

  private SampleOwner owner(String name, Settings.Samples wanted) throws Exception {
    var database = spy(server.bean(Database.class));
    doReturn(false).when(database).isFile();
    var settings = Mockito.mock(Settings.class);
    Mockito.when(settings.data()).thenReturn(Files.createDirectories(folder.resolve(name)));
    Mockito.when(settings.samples()).thenReturn(wanted);
    return new SampleOwner(database, settings, server.bean(Loops.class), clock);
  }

  @Test
  void theFirstOneTakesThemAlsoAfterItsRestart() throws Exception {
    assertThat(owner("a", Settings.Samples.AUTO).takes()).isTrue();
    var b = owner("b", Settings.Samples.AUTO);
    assertThat(b.takes()).isFalse();
    assertThatThrownBy(b::need)
        .isInstanceOf(StoreBusyException.class)
        .hasMessageContaining("takes no samples");
    // Killed, and started at once: the same data directory.
    assertThat(owner("a", Settings.Samples.AUTO).takes()).isTrue();
  }

  @Test
  void anotherOneTakesOverWhatWasLeft() throws Exception {
    var a = owner("a", Settings.Samples.AUTO);
    clock.forward(Duration.ofSeconds(25));
    a.renew();
    clock.forward(Duration.ofSeconds(25));
    assertThat(owner("b", Settings.Samples.AUTO).takes()).as("heard of").isFalse();
    clock.forward(Duration.ofSeconds(6));
    assertThat(owner("b", Settings.Samples.AUTO).takes()).as("silent").isTrue();
    a.renew();
    assertThat(a.takes()).as("it learns of it").isFalse();
    assertThat(owner("a", Settings.Samples.AUTO).takes()).isFalse();
  }

  @Test
  void oneThatStopsLeavesItAtOnce() throws Exception {
    var a = owner("a", Settings.Samples.AUTO);
    a.stop();
    assertThat(owner("b", Settings.Samples.AUTO).takes()).isTrue();
  }

  @Test
  void theSettingDecides() throws Exception {
    assertThat(owner("n", Settings.Samples.NEVER).takes()).isFalse();
    var a = owner("a", Settings.Samples.ALWAYS);
    assertThat(a.takes()).isTrue();
    assertThatThrownBy(() -> owner("b", Settings.Samples.ALWAYS))
        .hasMessageContaining("stop it first");
    a.stop();
    assertThat(owner("b", Settings.Samples.ALWAYS).takes()).isTrue();
  }

  @Test
  void aFileHasOneServer() {
    assertThat(server.bean(SampleOwner.class).takes()).isTrue();
    assertThat(server.data().resolve("server-id")).doesNotExist();
  }
}
