package vintrel.server;

import java.time.Clock;
import java.util.Locale;
import org.springframework.boot.SpringApplication;
import org.springframework.boot.autoconfigure.SpringBootApplication;
import org.springframework.boot.context.event.ApplicationContextInitializedEvent;
import org.springframework.boot.context.properties.ConfigurationPropertiesScan;
import org.springframework.context.ApplicationListener;
import org.springframework.context.annotation.Bean;
import org.springframework.util.ClassUtils;
import vintrel.server.database.Preload;
import vintrel.server.web.Restart;

/** Starts the server. */
@SpringBootApplication
@ConfigurationPropertiesScan
public class VintrelServer {
  private static final String CARRIERS = "jdk.virtualThreadScheduler.parallelism";

  public static void main(String[] args) {
    // All texts are English, and so are the points and commas of their numbers.
    Locale.setDefault(Locale.ENGLISH);
    // More carriers than processors: one that decodes a large body does not hold up the others.
    if (System.getProperty(CARRIERS) == null) {
      int wanted = Math.max(8, 4 * Runtime.getRuntime().availableProcessors());
      System.setProperty(CARRIERS, Integer.toString(wanted));
    }
    useBuiltContext();
    Restart.startedBy(() -> start(args));
    start(args);
  }

  private static void start(String[] args) {
    var application = new SpringApplication(VintrelServer.class);
    // Named, since a restart has no main method on its stack.
    application.setMainApplicationClass(VintrelServer.class);
    // Not earlier: the thread's first log lines need the logging that Spring sets up.
    application.addListeners(
        (ApplicationListener<ApplicationContextInitializedEvent>) e -> Preload.start());
    application.run(args);
  }

  /**
   * The build has worked out all bean definitions; a packaged application uses them. Bare classes
   * in a folder may have been compiled since, so they do it again: tests, and the build step
   * itself.
   */
  private static void useBuiltContext() {
    var place = VintrelServer.class.getProtectionDomain().getCodeSource().getLocation();
    boolean folder = place.getProtocol().equals("file") && place.getPath().endsWith("/");
    var built = VintrelServer.class.getName() + "__ApplicationContextInitializer";
    if (!folder && ClassUtils.isPresent(built, null)) {
      System.setProperty("spring.aot.enabled", "true");
    }
  }

  @Bean
  Clock clock() {
    return Clock.systemUTC();
  }
}
