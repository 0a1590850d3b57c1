package vintrel.collector.probe;

import java.util.ArrayList;
import java.util.Hashtable;
import java.util.List;
import java.util.function.UnaryOperator;
import javax.naming.CommunicationException;
import javax.naming.Context;
import javax.naming.NameNotFoundException;
import javax.naming.NamingException;
import javax.naming.directory.InitialDirContext;
import javax.net.ssl.X509ExtendedTrustManager;
import vintrel.core.collect.Check;
import vintrel.core.collect.Finding;

/** Runs probes, each within its time. Any thread. */
public final class Prober {
  private final Resolver resolver;
  private final X509ExtendedTrustManager trust;
  private final String nameServer;
  private final Statements statements;

  /** Runs a statement of a check for the finding. */
  public interface Statements {
    /**
     * @param timeout ms
     * @throws RuntimeException saying why it failed
     */
    void run(Check.Sql probe, long timeout, Finding finding);
  }

  /**
   * @param trust decides about certificates; null: the machine's
   * @param nameServer that dns checks ask, as a URL such as dns://127.0.0.1:53; empty: the
   *     machine's own
   * @param statements null if statements can't be run here
   */
  public Prober(
      Resolver resolver, X509ExtendedTrustManager trust, String nameServer, Statements statements) {
    this.resolver = resolver;
    this.trust = trust;
    this.nameServer = nameServer;
    this.statements = statements;
  }

  Resolver resolver() {
    return resolver;
  }

  Connection connection(Finding finding, Deadline deadline) {
    return new Connection(finding, deadline, trust);
  }

  /**
   * Runs a probe once.
   *
   * @param timeout ms for the whole run
   * @param reveal gives a text with the secret that it refers to
   */
  public Finding run(Check.Probe probe, long timeout, UnaryOperator<String> reveal) {
    var finding = new Finding();
    try (var deadline = new Deadline(timeout)) {
      switch (probe) {
        case Check.Http h -> new HttpProbe(this).run(h, timeout, reveal, finding, deadline);
        case Check.Tcp t -> {
          try (var connection = connection(finding, deadline)) {
            connection.open(resolver, t.host(), t.port(), timeout);
          }
        }
        case Check.Tls t -> {
          try (var connection = connection(finding, deadline)) {
            if (connection.open(resolver, t.host(), t.port(), timeout)) {
              connection.secure(t.host(), t.port(), timeout);
            }
          }
        }
        case Check.Dns d -> lookUp(d, timeout, finding);
        case Check.Sql s -> query(s, timeout, finding);
      }
    } catch (RuntimeException e) {
      finding.failed("", e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage());
    }
    return finding;
  }

  private void query(Check.Sql probe, long timeout, Finding finding) {
    if (statements == null) {
      finding.failed("query", "statements can't be run here");
      return;
    }
    long started = System.nanoTime();
    try {
      statements.run(probe, timeout, finding);
      finding.phase("query", Connection.since(started));
    } catch (RuntimeException e) {
      finding.failed("query", e.getMessage());
    }
  }

  private void lookUp(Check.Dns probe, long timeout, Finding finding) {
    long started = System.nanoTime();
    try {
      finding.answers(records(probe, timeout));
      finding.phase("answer", Connection.since(started));
    } catch (NameNotFoundException e) {
      finding.failed("answer", "DNS knows no such name");
    } catch (CommunicationException e) {
      finding.failed(
          "answer", "no response from DNS within " + vintrel.core.unit.Durations.words(timeout));
    } catch (NamingException e) {
      finding.failed("answer", e.getMessage() == null ? "DNS failed" : e.getMessage());
    }
  }

  private List<String> records(Check.Dns probe, long timeout) throws NamingException {
    var environment = new Hashtable<String, String>();
    environment.put(Context.INITIAL_CONTEXT_FACTORY, "com.sun.jndi.dns.DnsContextFactory");
    // Two tries: one third of the time, then two thirds (each try takes twice as long).
    environment.put("com.sun.jndi.dns.timeout.initial", String.valueOf(Math.max(1, timeout / 3)));
    environment.put("com.sun.jndi.dns.timeout.retries", "2");
    if (!nameServer.isEmpty()) {
      environment.put(Context.PROVIDER_URL, nameServer);
    }
    var context = new InitialDirContext(environment);
    try {
      var found =
          context.getAttributes(probe.host(), new String[] {probe.record()}).get(probe.record());
      var out = new ArrayList<String>();
      for (int i = 0; found != null && i < found.size(); i++) {
        out.add(found.get(i).toString());
      }
      out.sort(null);
      return out;
    } finally {
      context.close();
    }
  }
}
