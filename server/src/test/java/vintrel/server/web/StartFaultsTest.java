package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;

import java.sql.SQLException;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.springframework.boot.context.properties.bind.BindException;
import org.springframework.boot.context.properties.bind.Binder;
import org.springframework.boot.context.properties.source.MapConfigurationPropertySource;
import org.springframework.boot.web.server.PortInUseException;

/** Why the server does not start, in one line. */
class StartFaultsTest {
  private static final Map<String, String> USUAL =
      Map.of("vintrel.retention", "30d", "vintrel.late", "1h", "vintrel.grpc-port", "0");

  private static String bind(String name, String value) {
    var all = new java.util.HashMap<>(USUAL);
    all.put("vintrel." + name, value);
    try {
      new Binder(new MapConfigurationPropertySource(all)).bind("vintrel", Settings.class);
      return "";
    } catch (BindException e) {
      return StartFaults.words(new IllegalStateException("outer", e), "data");
    }
  }

  @ParameterizedTest
  @CsvSource({
    "retention, soon, 'is `soon`, which is not a duration such as 30d, 12h or 90s'",
    "retention, 1h, must be a day or more",
    "retention, -3d, must be a day or more",
    "late, -1h, must be a duration",
    "records.messages, 1d, must be 8 days or more",
    "watch.heartbeat, ftp://quay, must be an http or https address",
    "watch.heartbeat-every, 1s, must be 10s or more",
    "grpc-port, 99999, must be a port",
    "grpc-port, many, 'is `many`, which is not a whole number'",
    "demo, perhaps, 'is `perhaps`, which is not true or false'",
    "query.max-series, 1e9, 'which is not a whole number'",
  })
  void aSettingThatIsNoneIsNamedWithItsValue(String name, String value, String words) {
    assertThat(bind(name, value)).contains("vintrel." + name, words);
  }

  @Test
  void usualSettingsHaveNoFault() {
    assertThat(bind("late", "2h")).isEmpty();
  }

  @Test
  void whatIsTakenIsNamed() {
    assertThat(StartFaults.words(new RuntimeException(new PortInUseException(8420)), "d"))
        .contains("port 8420 is in use");
    var locked = new SQLException("locked", "90020", 90020);
    assertThat(StartFaults.words(new RuntimeException(locked), "/var/quay"))
        .contains("/var/quay is in use by another Vintrel server");
    assertThat(StartFaults.words(new IllegalStateException("a fault of ours"), "d")).isEmpty();
    assertThat(StartFaults.words(new IllegalArgumentException("unsupported"), "d")).isEmpty();
    assertThat(StartFaults.words(new IllegalArgumentException("port out of range:-1"), "d"))
        .startsWith("a port is a number");
  }

  @Test
  void variablesThatSetNothingAreNamed() {
    var faults =
        UnknownVariables.faults(
            Map.of(
                "VINTREL_RETENSION", "3d",
                "VINTREL_QUERY_MAX_SERIES", "5",
                "VINTREL_QUERY_MAXSERIES", "5",
                "VINTREL_INGEST_MOSTBYTES", "5",
                "VINTREL_DATABASE_URL", "x",
                "VINTREL_BOOTSTRAP_TOKEN", "x",
                "VINTREL_PORT", "1",
                "VINTREL_SURPRISE_ME_NOW", "1",
                "HOME", "/root"));
    assertThat(faults)
        .containsExactly(
            "vintrel: the variable VINTREL_RETENSION sets nothing; did you mean"
                + " VINTREL_RETENTION?",
            "vintrel: the variable VINTREL_SURPRISE_ME_NOW sets nothing");
  }
}
