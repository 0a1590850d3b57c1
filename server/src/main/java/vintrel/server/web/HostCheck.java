package vintrel.server.web;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.net.URI;
import java.util.Locale;
import org.springframework.core.Ordered;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import org.springframework.web.filter.OncePerRequestFilter;

/**
 * Answers pages only under names that are this server's: the host of {@code vintrel.address}, this
 * machine's own names and plain addresses. A foreign page whose name was made to point here would
 * else read what the person may (DNS rebinding), and links would lead there. Where no address is
 * set, any name is taken, but in the demo, which has no sign-in.
 */
@Component
@Order(Ordered.HIGHEST_PRECEDENCE + 5)
class HostCheck extends OncePerRequestFilter {
  private final String own;
  private final boolean strict;
  private final String address;

  HostCheck(Settings settings) {
    this.address = settings.address();
    var host = URI.create(address).getHost();
    this.own = host == null ? "" : host.toLowerCase(Locale.ROOT);
    this.strict = settings.demo() || !local(own);
  }

  private static boolean local(String host) {
    return host.equals("localhost") || host.endsWith(".localhost");
  }

  private static boolean plain(String host) {
    return host.matches("[0-9.]+|\\[?[0-9a-f:.]*:[0-9a-f:.]*]?");
  }

  boolean ours(String name) {
    var host = String.valueOf(name).toLowerCase(Locale.ROOT);
    return !strict || host.equals(own) || local(host) || plain(host);
  }

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    // The API knows who sends by a token, which no other page has; health is for everybody.
    boolean page = !Answers.isApi(request) && !request.getRequestURI().startsWith("/health/");
    if (!page || ours(request.getServerName())) {
      chain.doFilter(request, response);
    } else {
      Answers.refuse(
          request,
          response,
          421,
          "host",
          "this server's address is " + address + "; VINTREL_ADDRESS sets another");
    }
  }
}
