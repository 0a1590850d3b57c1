package vintrel.server.web;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.KeyStore;
import java.security.cert.CertificateFactory;
import javax.net.ssl.SSLContext;
import javax.net.ssl.TrustManager;
import javax.net.ssl.TrustManagerFactory;
import javax.net.ssl.X509ExtendedTrustManager;
import org.springframework.beans.factory.annotation.Autowired;
import org.springframework.stereotype.Component;

/**
 * Which certificates outgoing calls trust: those of the machine, and those in the file that {@code
 * vintrel.outbound.ca} names (PEM, one or more), for a company's own authority or a self-signed
 * certificate. Any thread.
 */
@Component
public class TrustedAuthorities {
  private final X509ExtendedTrustManager manager;

  @Autowired
  TrustedAuthorities(Settings settings) {
    this(settings.outbound().ca());
  }

  TrustedAuthorities(String file) {
    this.manager = file == null || file.isBlank() ? null : read(Path.of(file.strip()));
  }

  /** Decides about certificates; null: the machine's alone. */
  public X509ExtendedTrustManager manager() {
    return manager;
  }

  /** For clients that take a context; null: the usual one. */
  public SSLContext context() {
    if (manager == null) {
      return null;
    }
    try {
      var context = SSLContext.getInstance("TLS");
      context.init(null, new TrustManager[] {manager}, null);
      return context;
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
  }

  private static X509ExtendedTrustManager read(Path file) {
    try (InputStream in = Files.newInputStream(file)) {
      var all = KeyStore.getInstance("PKCS12");
      all.load(null, null);
      int n = 0;
      for (var certificate : of(null).getAcceptedIssuers()) {
        all.setCertificateEntry("machine" + n++, certificate);
      }
      int machine = n;
      for (var certificate : CertificateFactory.getInstance("X.509").generateCertificates(in)) {
        all.setCertificateEntry("own" + n++, certificate);
      }
      if (n == machine) {
        throw new Settings.Unfit("outbound.ca", file, "a file of certificates in PEM");
      }
      return of(all);
    } catch (IOException e) {
      throw new Settings.Unfit("outbound.ca", file, "a file that can be read (" + e + ")");
    } catch (GeneralSecurityException e) {
      throw new Settings.Unfit(
          "outbound.ca", file, "a file of certificates in PEM (" + e.getMessage() + ")");
    }
  }

  private static X509ExtendedTrustManager of(KeyStore store) throws GeneralSecurityException {
    var factory = TrustManagerFactory.getInstance(TrustManagerFactory.getDefaultAlgorithm());
    factory.init(store);
    for (var manager : factory.getTrustManagers()) {
      if (manager instanceof X509ExtendedTrustManager x) {
        return x;
      }
    }
    throw new IllegalStateException("no trust manager");
  }
}
