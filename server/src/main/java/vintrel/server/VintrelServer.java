package vintrel.server;

import java.time.Clock;
import org.springframework.boot.SpringApplication;
import org.springframework.boot.autoconfigure.SpringBootApplication;
import org.springframework.boot.context.event.ApplicationContextInitializedEvent;
import org.springframework.boot.context.properties.ConfigurationPropertiesScan;
import org.springframework.context.ApplicationListener;
import org.springframework.context.annotation.Bean;
import vintrel.server.keep.Preload;

/** Starts the server. */
@SpringBootApplication
@ConfigurationPropertiesScan
public class VintrelServer {
  public static void main(String[] args) {
    var application = new SpringApplication(VintrelServer.class);
    // Not earlier: the thread's first log lines need the logging that Spring sets up.
    application.addListeners(
        (ApplicationListener<ApplicationContextInitializedEvent>) e -> Preload.start());
    application.run(args);
  }

  @Bean
  Clock clock() {
    return Clock.systemUTC();
  }
}
