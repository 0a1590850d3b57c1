package vintrel.core.collect;

import java.util.List;

/**
 * What a probe found. Built step by step by one thread, then only read.
 *
 * <p>Durations are ms with fractions.
 */
public final class Finding {
  /** A phase of a run: name, connect, TLS, first byte, rest, query. */
  public record Phase(String name, double millis) {}

  private final java.util.ArrayList<Phase> phases = new java.util.ArrayList<>();
  private String fault = "";
  private String failedPhase = "";
  private int status;
  private String type = "";
  private int redirects;
  private String body = "";
  private long bytes = -1;
  private long certificateEnd;
  private long clockAhead = Long.MIN_VALUE;
  private List<String> answers = List.of();
  private double value = Double.NaN;
  private long rows = -1;

  /** A phase that is over. One of a name that was there adds to it: a redirect goes on. */
  public void phase(String name, double millis) {
    for (int i = 0; i < phases.size(); i++) {
      if (phases.get(i).name().equals(name)) {
        phases.set(i, new Phase(name, phases.get(i).millis() + millis));
        return;
      }
    }
    phases.add(new Phase(name, millis));
  }

  /** The run ended in a phase. */
  public void failed(String phase, String why) {
    failedPhase = phase;
    fault = why;
  }

  public void response(int code, String contentType) {
    status = code;
    type = contentType;
  }

  /**
   * @param millis by which the other side's clock is ahead of this one
   */
  public void clock(long millis) {
    clockAhead = millis;
  }

  public void redirected() {
    redirects++;
  }

  /**
   * @param text of the body as far as it was read
   */
  public void body(String text, long length) {
    body = text;
    bytes = length;
  }

  /**
   * @param end of the certificate's validity, ms since the epoch
   */
  public void certificate(long end) {
    certificateEnd = end;
  }

  public void answers(List<String> found) {
    answers = List.copyOf(found);
  }

  /**
   * @param first number of the first row; NaN if there is none
   */
  public void rows(double first, long count) {
    value = first;
    rows = count;
  }

  public List<Phase> phases() {
    return phases;
  }

  /** All phases together, ms. */
  public double millis() {
    return phases.stream().mapToDouble(Phase::millis).sum();
  }

  /** Why it could not be finished; empty if it was. */
  public String fault() {
    return fault;
  }

  public String failedPhase() {
    return failedPhase;
  }

  /** Of HTTP; 0 if there was no response. */
  public int status() {
    return status;
  }

  public String type() {
    return type;
  }

  /** ms; the least long if it is not known. */
  public long clockAhead() {
    return clockAhead;
  }

  public int redirects() {
    return redirects;
  }

  public String body() {
    return body;
  }

  /** Of the body; -1 if there was none. */
  public long bytes() {
    return bytes;
  }

  /** ms since the epoch; 0 if there was no certificate. */
  public long certificateEnd() {
    return certificateEnd;
  }

  public List<String> answers() {
    return answers;
  }

  public double value() {
    return value;
  }

  /** -1 if no statement ran. */
  public long rows() {
    return rows;
  }
}
