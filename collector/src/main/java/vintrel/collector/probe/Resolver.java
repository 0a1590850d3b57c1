package vintrel.collector.probe;

import java.net.InetAddress;

/** Gives the addresses of a host, those alone that may be connected to. */
public interface Resolver {
  /**
   * @throws IllegalArgumentException saying why there is none, or why it is refused
   */
  InetAddress[] resolve(String host);
}
