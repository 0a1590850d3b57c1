package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Primary;
import vintrel.core.series.Condition;
import vintrel.core.unit.Durations;
import vintrel.server.RunningServer;
import vintrel.server.SettableClock;
import vintrel.server.database.DiskSpace;

/** A disk that fills up and clocks that jump. */
class AdversityTest {
  private static final SettableClock CLOCK = new SettableClock();
  private static volatile long left = Long.MAX_VALUE;

  static class Beans {
    @Bean
    @Primary
    Clock jumping() {
      return CLOCK;
    }

    @Bean
    @Primary
    DiskSpace filling() {
      return new DiskSpace(Path.of("."), 200_000_000) {
        @Override
        public long left() {
          return left;
        }
      };
    }
  }

  @RegisterExtension static final RunningServer server = new RunningServer().with(Beans.class);

  @AfterEach
  void reset() {
    CLOCK.reset();
    left = Long.MAX_VALUE;
  }

  private static java.net.http.HttpResponse<String> publish(String metric, double value, long at) {
    return server.post(
        "/api/v1/samples",
        "application/json",
        "{\"metric\": \"%s\", \"value\": %s, \"time\": \"%d\"}".formatted(metric, value, at));
  }

  private static long count(String metric) {
    var store = server.bean(DurableStore.class);
    var series = store.select("main", metric, Condition.ALL);
    return store.read(series, 0, Long.MAX_VALUE / 2).getFirst().count();
  }

  @Test
  void aFullDiskRefusesSamplesWithAReasonAnswersQueriesAndRecovers() {
    long now = System.currentTimeMillis();
    assertThat(publish("disk.m", 1, now).statusCode()).isEqualTo(200);
    left = 50_000_000;
    var refused = publish("disk.m", 2, now + 1);
    assertThat(refused.statusCode()).isEqualTo(503);
    assertThat(refused.headers().firstValue("Retry-After")).contains("30");
    assertThat(refused.body()).contains("nearly full", "50 MB");
    assertThat(server.query("disk.m then count", "-1h", "now").statusCode()).isEqualTo(200);
    assertThat(count("disk.m")).isEqualTo(1);
    left = Long.MAX_VALUE;
    assertThat(publish("disk.m", 2, now + 1).statusCode()).isEqualTo(200);
    assertThat(count("disk.m")).isEqualTo(2);
  }

  @Test
  void aClockThatJumpsAheadNeitherDropsNorRefusesWhatRightClocksSend() {
    long now = System.currentTimeMillis();
    for (int i = 0; i < 1200; i++) {
      publish("clock.m", i, now - 1_200_000 + i * 1000L);
    }
    server.stop();
    server.start();
    CLOCK.forward(Duration.ofDays(4000));
    assertThat(server.bean(RetentionJob.class).run()).isEqualTo(new RetentionJob.Dropped(0, 0));
    assertThat(count("clock.m")).isEqualTo(1200);
    assertThat(publish("clock.m", 1, now).body()).contains("\"accepted\":1");
  }

  @Test
  void aClockThatGoesBackStillTakesWhatContinuesASeries() {
    long now = System.currentTimeMillis();
    assertThat(publish("back.m", 1, now).body()).contains("\"accepted\":1");
    CLOCK.forward(Duration.ofDays(-3));
    assertThat(publish("back.m", 2, now + 10_000).body()).contains("\"accepted\":1");
    assertThat(publish("back.m", 3, now + 2 * Durations.HOUR).body())
        .as("far ahead of all that was ever seen")
        .contains("\"accepted\":0");
    assertThat(List.of(count("back.m"))).containsExactly(2L);
  }
}
