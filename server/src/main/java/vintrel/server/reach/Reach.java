package vintrel.server.reach;

import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Component;
import vintrel.collector.probe.Prober;
import vintrel.core.collect.Check;
import vintrel.core.collect.ConnectionSteps;
import vintrel.core.collect.Finding;
import vintrel.core.unit.Durations;
import vintrel.server.access.Vault;
import vintrel.server.web.OutboundGuard;
import vintrel.server.web.TrustedAuthorities;

/** Tests connections to addresses that are allowed. Any thread. */
@Component
public class Reach {
  private static final long TIMEOUT_MS = 10 * Durations.SECOND;

  private final Prober prober;
  private final Vault vault;

  Reach(OutboundGuard guard, TrustedAuthorities trusted, Vault vault) {
    this.prober = new Prober(guard::resolve, trusted.manager(), "", null);
    this.vault = vault;
  }

  /** A request whose answer is looked at by others, too. */
  public record Asked(ConnectionSteps steps, Finding finding) {}

  /**
   * Asks an address.
   *
   * @param method get or head; nothing there is changed
   * @param headers values may refer to secrets, as the address may
   */
  public Asked http(String url, String method, Map<String, String> headers) {
    var probe = new Check.Http(url, method, headers, List.of("2xx"), "", null, 0, 0);
    var finding = prober.run(probe, TIMEOUT_MS, vault::revealed);
    var steps =
        new ConnectionSteps()
            .transport(finding, vault.revealed(url).startsWith("https:"))
            .response(finding);
    return new Asked(steps, finding);
  }

  /** Opens a connection. */
  public ConnectionSteps tcp(String host, int port) {
    var finding = prober.run(new Check.Tcp(host, port), TIMEOUT_MS, s -> s);
    return new ConnectionSteps().transport(finding, false);
  }
}
