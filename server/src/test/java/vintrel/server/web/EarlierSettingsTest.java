package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.core.env.MapPropertySource;
import org.springframework.core.env.StandardEnvironment;
import org.springframework.core.env.SystemEnvironmentPropertySource;
import vintrel.server.RunningServer;

class EarlierSettingsTest {
  @RegisterExtension
  static final RunningServer server = new RunningServer("--vintrel.watch.most-series=17");

  @Test
  void anOldNameStillSets() {
    assertThat(server.bean(Settings.class).watch().maxSeries()).isEqualTo(17);
    assertThat(server.bean(Settings.class).query().maxSeries()).isEqualTo(10_000);
  }

  @Test
  void everyNewNameIsASettingAndVariablesAreReadToo() {
    var environment = server.context().getEnvironment();
    EarlierSettings.RENAMED
        .values()
        .forEach(name -> assertThat(environment.getProperty("vintrel." + name)).isNotNull());
    var other = new StandardEnvironment();
    other
        .getPropertySources()
        .addFirst(
            new SystemEnvironmentPropertySource(
                "variables", Map.of("VINTREL_INGEST_MOSTBYTES", "5")));
    other.getPropertySources().addLast(new MapPropertySource("defaults", Map.of()));
    new EarlierSettings().postProcessEnvironment(other, null);
    assertThat(other.getProperty("vintrel.ingest.max-request-bytes")).isEqualTo("5");
  }
}
