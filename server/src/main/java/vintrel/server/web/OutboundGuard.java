package vintrel.server.web;

import java.net.Inet4Address;
import java.net.Inet6Address;
import java.net.InetAddress;
import java.net.NetworkInterface;
import java.net.SocketException;
import java.net.URI;
import java.net.UnknownHostException;
import java.util.Arrays;
import java.util.List;
import org.springframework.beans.factory.annotation.Autowired;
import org.springframework.stereotype.Component;
import vintrel.core.collect.HttpAddress;

/**
 * Limits where the server connects to configured addresses (scrape targets, chat rooms, other
 * stores): only http and https, never to link-local addresses or those where clouds keep their
 * metadata, and to this machine itself only if a setting allows it. IPv6 addresses that embed IPv4
 * ones are judged as those (RFC 4291, 6052, 3056). Any thread.
 */
@Component
public class OutboundGuard {
  /** Where clouds hand out credentials, beside the link-local addresses. */
  private static final List<byte[]> METADATA =
      List.of(
          bytes(0xfd, 0x00, 0x0e, 0xc2, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x02, 0x54),
          bytes(100, 100, 100, 200),
          bytes(192, 0, 0, 192));

  private final boolean loopback;

  @Autowired
  OutboundGuard(Settings settings) {
    this(settings.outbound().loopback());
  }

  OutboundGuard(boolean loopback) {
    this.loopback = loopback;
  }

  /**
   * The address, checked as it is now. Who calls it takes the addresses from {@link #resolve}.
   *
   * @throws IllegalArgumentException saying why it is refused
   */
  public URI check(String url) {
    var uri = HttpAddress.parse(url).uri();
    resolve(uri.getHost());
    return uri;
  }

  /**
   * The addresses of a host, each of them checked: those to connect to.
   *
   * @throws IllegalArgumentException saying why one is refused, or that there are none
   */
  public InetAddress[] resolve(String host) {
    try {
      var all = InetAddress.getAllByName(host);
      for (var address : all) {
        refuse(host, address);
      }
      return all;
    } catch (UnknownHostException e) {
      throw new IllegalArgumentException("unknown host " + host);
    }
  }

  /**
   * Checks one address of a host.
   *
   * @throws IllegalArgumentException saying why it is refused
   */
  public void check(String host, InetAddress address) {
    refuse(host, address);
  }

  /** An address without what may be secret in it. */
  public static String shown(String url) {
    return HttpAddress.shown(url);
  }

  private void refuse(String host, InetAddress given) {
    var address = meant(given);
    if (address.isLinkLocalAddress() || address.isMulticastAddress()) {
      throw new IllegalArgumentException(
          host + " is a link-local or multicast address, which is not allowed");
    }
    if (METADATA.stream().anyMatch(m -> Arrays.equals(m, address.getAddress()))) {
      throw new IllegalArgumentException(
          host + " is the metadata address of a cloud, which is not allowed");
    }
    if (!loopback && own(address)) {
      throw new IllegalArgumentException(
          host
              + " is this machine itself; to allow it, start the server with"
              + " VINTREL_OUTBOUND_LOOPBACK=true");
    }
  }

  private static boolean own(InetAddress address) {
    boolean zero = address instanceof Inet4Address && address.getAddress()[0] == 0;
    if (address.isLoopbackAddress() || address.isAnyLocalAddress() || zero) {
      return true;
    }
    try {
      return NetworkInterface.getByInetAddress(address) != null;
    } catch (SocketException e) {
      return false;
    }
  }

  /** The IPv4 address embedded in an IPv6 one; else itself. */
  private static InetAddress meant(InetAddress address) {
    if (!(address instanceof Inet6Address six)) {
      return address;
    }
    var b = six.getAddress();
    int at = -1;
    boolean zeros = zero(b, 0, 10);
    if (six.isIPv4CompatibleAddress() && !six.isLoopbackAddress() && !six.isAnyLocalAddress()) {
      at = 12;
    } else if (zeros && b[10] == -1 && b[11] == -1) {
      at = 12;
    } else if (b[0] == 0 && b[1] == 0x64 && (b[2] & 0xff) == 0xff && (b[3] & 0xff) == 0x9b) {
      // NAT64, the well-known prefix and the local one.
      at = 12;
    } else if (b[0] == 0x20 && b[1] == 0x02) {
      at = 2;
    }
    try {
      return at < 0 ? address : InetAddress.getByAddress(Arrays.copyOfRange(b, at, at + 4));
    } catch (UnknownHostException e) {
      throw new IllegalStateException(e);
    }
  }

  private static boolean zero(byte[] b, int from, int to) {
    for (int i = from; i < to; i++) {
      if (b[i] != 0) {
        return false;
      }
    }
    return true;
  }

  private static byte[] bytes(int... values) {
    var out = new byte[values.length];
    for (int i = 0; i < out.length; i++) {
      out[i] = (byte) values[i];
    }
    return out;
  }
}
