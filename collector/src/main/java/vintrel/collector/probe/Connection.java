package vintrel.collector.probe;

import java.io.Closeable;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.Socket;
import java.security.GeneralSecurityException;
import java.security.KeyStore;
import java.security.cert.CertificateException;
import java.security.cert.X509Certificate;
import java.util.List;
import javax.net.ssl.SNIHostName;
import javax.net.ssl.SSLContext;
import javax.net.ssl.SSLEngine;
import javax.net.ssl.SSLSocket;
import javax.net.ssl.TrustManager;
import javax.net.ssl.TrustManagerFactory;
import javax.net.ssl.X509ExtendedTrustManager;
import vintrel.core.collect.Finding;
import vintrel.core.collect.ScrapeDiagnosis;

/**
 * A connection that is opened step by step, each step timed: name, connect, TLS. A certificate that
 * is not trusted is still read, then the connection is given up before anything is sent. Used by
 * one thread.
 */
final class Connection implements Closeable {
  /** Steps, as findings name them. */
  static final String NAME = "name";

  static final String CONNECT = "connect";
  static final String TLS = "TLS";

  private final Finding finding;
  private final Deadline deadline;
  private final X509ExtendedTrustManager trust;
  private Socket socket;

  /**
   * @param trust decides about certificates; null: the machine's
   */
  Connection(Finding finding, Deadline deadline, X509ExtendedTrustManager trust) {
    this.finding = finding;
    this.deadline = deadline;
    this.trust = trust;
  }

  Socket socket() {
    return socket;
  }

  static double since(long started) {
    return (System.nanoTime() - started) / 1e6;
  }

  /** Resolves a host and connects to its first address that answers; false if that failed. */
  boolean open(Resolver resolver, String host, int port, long timeout) {
    long started = System.nanoTime();
    InetAddress[] addresses;
    try {
      addresses = resolver.resolve(host);
    } catch (IllegalArgumentException e) {
      finding.failed(NAME, e.getMessage());
      return false;
    }
    finding.phase(NAME, since(started));
    started = System.nanoTime();
    IOException last = null;
    for (int i = 0; i < addresses.length && !deadline.isOver(); i++) {
      socket = new Socket();
      deadline.guard(socket);
      try {
        // Each address gets its part of the time that is left.
        socket.connect(
            new InetSocketAddress(addresses[i], port),
            Math.max(1, deadline.left() / (addresses.length - i)));
        socket.setSoTimeout(deadline.left());
        finding.phase(CONNECT, since(started));
        return true;
      } catch (IOException e) {
        last = e;
        close();
      }
    }
    finding.failed(CONNECT, words(last, timeout));
    return false;
  }

  /** Speaks TLS over the connection; false if that failed, or the certificate is not trusted. */
  boolean secure(String host, int port, long timeout) {
    long started = System.nanoTime();
    var reading = new Reading(trust == null ? usual() : trust);
    try {
      var context = SSLContext.getInstance("TLS");
      context.init(null, new TrustManager[] {reading}, null);
      var secure = (SSLSocket) context.getSocketFactory().createSocket(socket, host, port, true);
      var parameters = secure.getSSLParameters();
      parameters.setEndpointIdentificationAlgorithm("HTTPS");
      if (!host.matches("[0-9.]+") && !host.contains(":")) {
        parameters.setServerNames(List.of(new SNIHostName(host)));
      }
      secure.setSSLParameters(parameters);
      deadline.guard(secure);
      secure.setSoTimeout(deadline.left());
      secure.startHandshake();
      socket = secure;
    } catch (IOException | RuntimeException e) {
      // A socket that is closed at its deadline fails in many ways.
      finding.failed(TLS, words(e, timeout));
      return false;
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
    if (reading.certificate == null || deadline.isOver()) {
      // Closed at its deadline, a handshake may also just return.
      finding.failed(TLS, words(new IOException("the handshake was not completed"), timeout));
      return false;
    }
    finding.phase(TLS, since(started));
    finding.certificate(reading.certificate.getNotAfter().getTime());
    if (reading.refused != null) {
      finding.failed(TLS, untrusted(reading));
      return false;
    }
    return true;
  }

  private static String untrusted(Reading reading) {
    var certificate = reading.certificate;
    long now = System.currentTimeMillis();
    if (certificate != null && certificate.getNotAfter().getTime() < now) {
      return "the certificate expired on " + certificate.getNotAfter().toInstant();
    }
    if (certificate != null && certificate.getNotBefore().getTime() > now) {
      return "the certificate is valid only from " + certificate.getNotBefore().toInstant();
    }
    var text = ScrapeDiagnosis.ofFault(reading.refused, 0);
    if (text.contains("name")) {
      return text;
    }
    var issuer = certificate.getIssuerX500Principal();
    return issuer.equals(certificate.getSubjectX500Principal())
        ? "the certificate is self-signed (" + issuer.getName() + ") and not trusted here"
        : "the issuer of the certificate is not known here (" + issuer.getName() + ")";
  }

  String words(Exception e, long timeout) {
    if (deadline.isOver() || e instanceof java.net.SocketTimeoutException) {
      return "no response within " + vintrel.core.unit.Durations.words(timeout);
    }
    return e == null ? "no connection" : ScrapeDiagnosis.ofFault(e, timeout);
  }

  private static X509ExtendedTrustManager usual() {
    try {
      var factory = TrustManagerFactory.getInstance(TrustManagerFactory.getDefaultAlgorithm());
      factory.init((KeyStore) null);
      for (var manager : factory.getTrustManagers()) {
        if (manager instanceof X509ExtendedTrustManager x) {
          return x;
        }
      }
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
    throw new IllegalStateException("no trust manager");
  }

  /** Notes the certificate, and what another trust manager says of it. */
  private static final class Reading extends X509ExtendedTrustManager {
    private final X509ExtendedTrustManager asked;
    private X509Certificate certificate;
    private CertificateException refused;

    Reading(X509ExtendedTrustManager asked) {
      this.asked = asked;
    }

    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type, Socket over) {
      certificate = chain[0];
      try {
        asked.checkServerTrusted(chain, type, over);
      } catch (CertificateException e) {
        refused = e;
      }
    }

    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type, SSLEngine over)
        throws CertificateException {
      throw new CertificateException("only sockets are checked");
    }

    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type)
        throws CertificateException {
      throw new CertificateException("only sockets are checked");
    }

    @Override
    public void checkClientTrusted(X509Certificate[] chain, String type, Socket over)
        throws CertificateException {
      throw new CertificateException("no clients are checked");
    }

    @Override
    public void checkClientTrusted(X509Certificate[] chain, String type, SSLEngine over)
        throws CertificateException {
      throw new CertificateException("no clients are checked");
    }

    @Override
    public void checkClientTrusted(X509Certificate[] chain, String type)
        throws CertificateException {
      throw new CertificateException("no clients are checked");
    }

    @Override
    public X509Certificate[] getAcceptedIssuers() {
      return asked.getAcceptedIssuers();
    }
  }

  @Override
  public void close() {
    try {
      if (socket != null) {
        socket.close();
      }
    } catch (IOException e) {
      // It is gone then.
    }
  }
}
