package vintrel.core.collect;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import vintrel.core.unit.Durations;

/**
 * The test of a connection as people follow it: steps in their order, up to the first that failed,
 * which says what to do. Built by one thread.
 */
public final class ConnectionSteps {
  /** Clocks farther apart make samples land at wrong times. */
  private static final long CLOCK_MS = 5 * Durations.SECOND;

  /** How a step went. */
  public enum Light {
    OK,
    /** It works, but needs a look. */
    LATE,
    BAD,
    WAIT
  }

  /**
   * A step.
   *
   * @param text what was found, or what is wrong
   * @param remedy what to do, or empty
   */
  public record Step(String title, Light light, String text, String remedy) {
    /** For class names. */
    public String look() {
      return light.name().toLowerCase(Locale.ROOT);
    }
  }

  private final List<Step> steps = new ArrayList<>();
  private boolean failed;

  /** A step that went well; not counted once one has failed. */
  public ConnectionSteps ok(String title, String text) {
    steps.add(new Step(title, failed ? Light.WAIT : Light.OK, failed ? "" : text, ""));
    return this;
  }

  public ConnectionSteps look(String title, String text, String remedy) {
    steps.add(
        failed ? new Step(title, Light.WAIT, "", "") : new Step(title, Light.LATE, text, remedy));
    return this;
  }

  public ConnectionSteps bad(String title, String text, String remedy) {
    steps.add(
        failed ? new Step(title, Light.WAIT, "", "") : new Step(title, Light.BAD, text, remedy));
    failed = true;
    return this;
  }

  public boolean hasFailed() {
    return failed;
  }

  public List<Step> steps() {
    return List.copyOf(steps);
  }

  /**
   * Name, connection and TLS of a finding.
   *
   * @param secure whether TLS is spoken
   */
  public ConnectionSteps transport(Finding f, boolean secure) {
    phase(f, "name", "Name", "check the spelling, and the DNS of this server's machine");
    phase(
        f,
        "connect",
        "Connection",
        f.fault().startsWith("connection refused")
            ? "start what should listen there, or check the port"
            : "check the route and the firewalls between here and there");
    if (secure) {
      phase(
          f,
          "TLS",
          "TLS",
          f.fault().contains("not trusted")
              ? "add its CA to the Java trust store of this server"
              : f.fault().contains("another name")
                  ? "use the name that the certificate is for"
                  : f.fault().contains("expired") ? "renew the certificate there" : "");
    }
    return this;
  }

  private void phase(Finding f, String phase, String title, String remedy) {
    if (f.failedPhase().equals(phase)) {
      bad(title, f.fault(), remedy);
    } else {
      ok(
          title,
          f.phases().stream()
              .filter(p -> p.name().equals(phase))
              .map(p -> Verdict.duration(p.millis()))
              .findFirst()
              .orElse(""));
    }
  }

  /** The response of a request, and whether it lets this server in. */
  public ConnectionSteps response(Finding f) {
    if (!f.fault().isEmpty() && !failed) {
      return bad("Response", f.fault(), "see the log of what listens there").ok("Sign-in", "");
    }
    ok("Response", "HTTP " + f.status());
    if (f.status() == 401 || f.status() == 403 || f.status() == 407) {
      return bad("Sign-in", "HTTP " + f.status(), "check the credentials and their permissions");
    }
    return ok("Sign-in", f.status() < 400 ? "" : "not asked for");
  }

  /** How far clocks are apart, if that is known. */
  public ConnectionSteps clock(long aheadMillis) {
    if (aheadMillis == Long.MIN_VALUE) {
      return this;
    }
    var words = Durations.words(Math.max(Durations.SECOND, Math.abs(aheadMillis)));
    return Math.abs(aheadMillis) <= CLOCK_MS
        ? ok("Clock", "within " + words)
        : look(
            "Clock",
            words + (aheadMillis > 0 ? " ahead of" : " behind") + " this server's",
            "synchronise both clocks with NTP");
  }
}
