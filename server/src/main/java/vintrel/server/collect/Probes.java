package vintrel.server.collect;

import org.springframework.stereotype.Component;
import vintrel.collector.probe.Prober;
import vintrel.core.collect.Check;
import vintrel.core.collect.Finding;
import vintrel.server.access.Vault;
import vintrel.server.ask.SqlStatements;
import vintrel.server.web.OutboundGuard;
import vintrel.server.web.TrustedAuthorities;

/** Runs probes from this server: to addresses that are allowed, with the secrets of definitions. */
@Component
class Probes {
  private final Prober prober;
  private final Vault vault;

  Probes(OutboundGuard guard, TrustedAuthorities trusted, SqlStatements statements, Vault vault) {
    this.prober = new Prober(guard::resolve, trusted.manager(), "", statements);
    this.vault = vault;
  }

  /**
   * @param timeout ms
   */
  Finding run(Check.Probe probe, long timeout) {
    return prober.run(probe, timeout, vault::revealed);
  }
}
