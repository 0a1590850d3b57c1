package vintrel.server.web;

import java.net.InetAddress;
import java.net.URI;
import java.net.UnknownHostException;
import org.springframework.stereotype.Component;

/**
 * Limits where the server goes on somebody's word (scrape targets, chat rooms): only http and
 * https, never to link-local addresses (cloud metadata lives there), and to this machine itself
 * only where a setting allows it.
 */
@Component
public class OutboundGuard {
  private final boolean loopback;

  OutboundGuard(Settings settings) {
    this.loopback = settings.outbound().loopback();
  }

  /**
   * The address, checked.
   *
   * @throws IllegalArgumentException saying why it is refused
   */
  public URI check(String url) {
    URI uri;
    try {
      uri = URI.create(url);
    } catch (IllegalArgumentException e) {
      throw new IllegalArgumentException("'" + url + "' is not an address");
    }
    if (uri.getHost() == null
        || !("http".equals(uri.getScheme()) || "https".equals(uri.getScheme()))) {
      throw new IllegalArgumentException("only http and https addresses are called");
    }
    try {
      for (var address : InetAddress.getAllByName(uri.getHost())) {
        refuse(uri.getHost(), address);
      }
    } catch (UnknownHostException e) {
      throw new IllegalArgumentException("the host " + uri.getHost() + " is not known");
    }
    return uri;
  }

  private void refuse(String host, InetAddress address) {
    if (address.isLinkLocalAddress() || address.isMulticastAddress()) {
      throw new IllegalArgumentException(host + " is a link-local address, which is never called");
    }
    if (!loopback && (address.isLoopbackAddress() || address.isAnyLocalAddress())) {
      throw new IllegalArgumentException(
          host
              + " is this machine itself; to allow it, start the server with"
              + " VINTREL_OUTBOUND_LOOPBACK=true");
    }
  }
}
