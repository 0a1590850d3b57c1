package vintrel.server;

import java.time.Clock;
import org.springframework.boot.SpringApplication;
import org.springframework.boot.autoconfigure.SpringBootApplication;
import org.springframework.boot.context.properties.ConfigurationPropertiesScan;
import org.springframework.context.annotation.Bean;

/** Starts the server. */
@SpringBootApplication
@ConfigurationPropertiesScan
public class VintrelServer {
  public static void main(String[] args) {
    SpringApplication.run(VintrelServer.class, args);
  }

  @Bean
  Clock clock() {
    return Clock.systemUTC();
  }
}
