package vintrel.server.database;

import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import org.springframework.boot.SpringApplication;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.boot.web.server.context.WebServerApplicationContext;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.server.web.Settings;

/**
 * A run that only shows the JVM what serving pages takes, so that it can prepare a cache for faster
 * starts: requests each of its main pages and ends.
 */
@Component
class Training {
  private static final String[] PAGES = {
    "/signin",
    "/collect",
    "/bench",
    "/bench/choices?kind=metric",
    "/dashboards",
    "/watch",
    "/watch/rules",
    "/notify",
    "/rail",
    "/lamp",
    "/goto"
  };

  private final Settings settings;

  Training(Settings settings) {
    this.settings = settings;
  }

  @EventListener
  void ready(ApplicationReadyEvent event) {
    if (settings.train()
        && event.getApplicationContext() instanceof WebServerApplicationContext c) {
      Thread.ofPlatform().start(() -> train(event, c.getWebServer().getPort()));
    }
  }

  private static void train(ApplicationReadyEvent event, int port) {
    try (var http = HttpClient.newHttpClient()) {
      for (var page : PAGES) {
        var uri = URI.create("http://127.0.0.1:" + port + page);
        http.send(HttpRequest.newBuilder(uri).build(), HttpResponse.BodyHandlers.discarding());
      }
    } catch (IOException e) {
      // A page that fails only makes the cache smaller.
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    System.exit(SpringApplication.exit(event.getApplicationContext()));
  }
}
