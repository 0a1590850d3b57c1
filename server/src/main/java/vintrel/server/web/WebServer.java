package vintrel.server.web;

import jakarta.servlet.http.HttpSessionEvent;
import jakarta.servlet.http.HttpSessionListener;
import org.apache.catalina.session.ManagerBase;
import org.apache.catalina.session.StandardManager;
import org.apache.catalina.valves.RemoteIpValve;
import org.springframework.boot.tomcat.servlet.TomcatServletWebServerFactory;
import org.springframework.boot.web.server.WebServerFactoryCustomizer;
import org.springframework.boot.web.servlet.ServletListenerRegistrationBean;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.security.core.session.SessionRegistryImpl;
import org.springframework.security.web.session.HttpSessionDestroyedEvent;

/** The web server's own bounds: sessions, and whose forwarded headers are believed. */
@Configuration
class WebServer {
  /** Sessions of all people; a person has 20 at most. */
  private static final int MAX_SESSIONS = 5_000;

  @Bean
  static WebServerFactoryCustomizer<TomcatServletWebServerFactory> bounds(Settings settings) {
    return factory -> {
      factory.addContextCustomizers(
          context -> {
            // Under whatever name this server was asked, answers lead nowhere else.
            context.setUseRelativeRedirects(true);
            context.getParent().getPipeline().addValve(new PlainErrors());
            if (context.getManager() == null) {
              context.setManager(new StandardManager());
            }
            if (context.getManager() instanceof ManagerBase manager) {
              manager.setMaxActiveSessions(MAX_SESSIONS);
            }
          });
      if (!settings.proxies().isBlank()) {
        var valve = new RemoteIpValve();
        valve.setInternalProxies(settings.proxies());
        valve.setRemoteIpHeader("X-Forwarded-For");
        valve.setProtocolHeader("X-Forwarded-Proto");
        factory.addEngineValves(valve);
      }
    };
  }

  /** Tells who is signed in where that a session has ended. */
  @Bean
  static ServletListenerRegistrationBean<HttpSessionListener> ended(SignedIn signedIn) {
    return new ServletListenerRegistrationBean<>(
        new HttpSessionListener() {
          @Override
          public void sessionDestroyed(HttpSessionEvent event) {
            ((SessionRegistryImpl) signedIn.registry())
                .onApplicationEvent(new HttpSessionDestroyedEvent(event.getSession()));
          }
        });
  }
}
