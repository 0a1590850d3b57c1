package vintrel.core.collect;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/**
 * Whether a check passes, and what was found, in words. Pure; any thread.
 *
 * @param found such as {@code HTTP 200, contains "Sailings"}, or what is wrong
 * @param daysLeft of the certificate; NaN if there is none
 */
public record Verdict(boolean passed, String found, double daysLeft) {
  private static final int QUOTED = 40;

  /**
   * @param now ms since the epoch
   */
  public static Verdict of(Check check, Finding f, long now) {
    double days =
        f.certificateEnd() == 0 ? Double.NaN : (f.certificateEnd() - now) / (double) Durations.DAY;
    if (!f.fault().isEmpty()) {
      return new Verdict(false, f.fault(), days);
    }
    var found = new ArrayList<String>();
    var wrong = new ArrayList<String>();
    switch (check.probe()) {
      case Check.Http h -> {
        http(h, f, found, wrong);
        certificate(days, h.daysLeft(), found, wrong);
      }
      case Check.Tcp t -> found.add("connected");
      case Check.Tls t -> certificate(days, Math.max(t.daysLeft(), 0), found, wrong);
      case Check.Dns d -> dns(d, f, found, wrong);
      case Check.Sql s -> sql(s, f, found, wrong);
    }
    if (check.maxDuration() > 0 && f.millis() > check.maxDuration()) {
      wrong.add(
          "took %s; the maximum is %s"
              .formatted(duration(f.millis()), duration(check.maxDuration())));
    }
    return wrong.isEmpty()
        ? new Verdict(true, String.join(", ", found), days)
        : new Verdict(false, String.join("; ", wrong), days);
  }

  private static void http(Check.Http h, Finding f, List<String> found, List<String> wrong) {
    if (h.accepts(f.status())) {
      found.add("HTTP " + f.status());
    } else {
      wrong.add("HTTP " + f.status() + "; expected " + String.join(" or ", h.status()));
    }
    if (f.redirects() > 0) {
      found.add(Counts.of(f.redirects(), "redirect"));
    }
    if (!h.contains().isEmpty()) {
      (f.body().contains(h.contains()) ? found : wrong)
          .add(
              (f.body().contains(h.contains()) ? "contains " : "does not contain ")
                  + quoted(h.contains()));
    }
    if (h.matches() != null) {
      boolean match = h.matches().matcher(f.body()).find();
      (match ? found : wrong)
          .add((match ? "matches " : "does not match ") + quoted(h.matches().pattern()));
    }
  }

  /** The certificate of a connection that has one. */
  private static void certificate(double days, int least, List<String> found, List<String> wrong) {
    if (Double.isNaN(days)) {
      return;
    }
    var left = Counts.of((long) Math.floor(days), "day") + " left";
    if (days < 0) {
      wrong.add("the certificate expired " + Counts.of((long) Math.ceil(-days), "day") + " ago");
    } else if (days < least) {
      wrong.add("certificate: " + left + "; the minimum is " + least);
    } else if (least > 0) {
      found.add(left);
    }
    if (found.isEmpty() && wrong.isEmpty()) {
      found.add(left);
    }
  }

  private static void dns(Check.Dns d, Finding f, List<String> found, List<String> wrong) {
    var all = String.join(", ", f.answers());
    var shown = all.length() > 200 ? all.substring(0, 200) + "…" : all;
    if (f.answers().isEmpty()) {
      wrong.add("no " + d.record() + " record");
    } else if (d.answer().isEmpty() || f.answers().stream().anyMatch(a -> same(a, d.answer()))) {
      found.add(shown);
    } else {
      wrong.add(shown + "; expected " + d.answer());
    }
  }

  private static boolean same(String a, String b) {
    return a.replaceAll("\\.$", "").equalsIgnoreCase(b.replaceAll("\\.$", ""));
  }

  private static void sql(Check.Sql s, Finding f, List<String> found, List<String> wrong) {
    boolean needs = s.min() != null || s.max() != null;
    if (f.rows() == 0 && needs) {
      wrong.add("no rows");
      return;
    }
    if (Double.isNaN(f.value())) {
      (needs ? wrong : found)
          .add(needs ? "no number in the first row" : Counts.of(f.rows(), "row"));
      return;
    }
    var value = number(f.value());
    if (s.min() != null && f.value() < s.min()) {
      wrong.add(value + "; the minimum is " + number(s.min()));
    } else if (s.max() != null && f.value() > s.max()) {
      wrong.add(value + "; the maximum is " + number(s.max()));
    } else {
      found.add(value);
    }
  }

  private static String number(double v) {
    return v == Math.rint(v) && Math.abs(v) < 1e15
        ? String.format(Locale.ROOT, "%,d", (long) v)
        : Units.format(v, "");
  }

  private static String quoted(String text) {
    return "“" + (text.length() > QUOTED ? text.substring(0, QUOTED) + "…" : text) + "”";
  }

  /** 184 ms, 7.1 s. */
  public static String duration(double millis) {
    if (millis < 10 && millis != Math.rint(millis)) {
      return String.format(Locale.ROOT, "%.1f ms", millis);
    }
    return millis < 1_000
        ? String.format(Locale.ROOT, "%.0f ms", millis)
        : String.format(Locale.ROOT, millis < 10_000 ? "%.1f s" : "%.0f s", millis / 1_000)
            .replace(".0 s", " s");
  }
}
