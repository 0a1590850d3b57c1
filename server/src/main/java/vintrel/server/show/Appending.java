package vintrel.server.show;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.concurrent.atomic.AtomicLong;
import org.springframework.stereotype.Component;
import vintrel.core.panel.Drawing;
import vintrel.core.picture.Picture;
import vintrel.core.picture.PointTexts;
import vintrel.server.web.HeapParts;

/**
 * A chart that is asked for again is sent without the points that the page has already. What was
 * sent is remembered, so that points that changed since, late ones among them, are sent again. Any
 * thread.
 */
@Component
class Appending {
  private static final int POINT = 4 * Double.BYTES;
  private static final int TRACE = 300;

  /** What an entry takes though its chart is empty. */
  private static final int ENTRY = 2_000;

  private record Sent(long version, Drawing.Chart chart) {
    int bytes() {
      int points = chart.picture().traces().stream().mapToInt(t -> t.times().length).sum();
      return ENTRY + points * POINT + chart.picture().traces().size() * TRACE;
    }
  }

  /**
   * What is sent.
   *
   * @param version that the page has with it; 0: it is not remembered
   * @param keeps for each trace the first point of what the page has that goes on to be shown, and
   *     how many points of it are unchanged from there; null if everything is sent
   */
  record Part(Drawing drawing, long version, List<int[]> keeps) {}

  private final AtomicLong versions = new AtomicLong();
  private final Cache<String, Sent> sent =
      Caffeine.newBuilder()
          .maximumWeight(HeapParts.drawings())
          .weigher((String key, Sent one) -> one.bytes())
          .build();

  /**
   * @param key of the page, the panel and the person
   * @param has the version that the page has, or 0
   */
  Part part(String key, Drawing drawing, long has) {
    if (!(drawing instanceof Drawing.Chart chart)) {
      return new Part(drawing, 0, null);
    }
    var before = sent.getIfPresent(key);
    var now = new Sent(versions.incrementAndGet(), chart);
    sent.put(key, now);
    var keeps = before == null || before.version() != has ? null : keeps(before.chart(), chart);
    return keeps == null
        ? new Part(drawing, now.version(), null)
        : new Part(rest(chart, keeps), now.version(), keeps);
  }

  /** Null if the series are others than before. */
  private static List<int[]> keeps(Drawing.Chart before, Drawing.Chart now) {
    var old = before.picture().traces();
    var all = now.picture().traces();
    if (old.size() != all.size()) {
      return null;
    }
    var out = new ArrayList<int[]>();
    for (int i = 0; i < all.size(); i++) {
      var a = old.get(i);
      var b = all.get(i);
      if (!a.name().equals(b.name()) || !a.line().equals(b.line())) {
        return null;
      }
      boolean same = alike(before.picture(), a, now.picture(), b);
      out.add(same ? keep(a, before.styles().get(i), b, now.styles().get(i)) : new int[] {0, 0});
    }
    return out;
  }

  /** Whether points of the two traces are rounded and written alike. */
  private static boolean alike(Picture was, Picture.Trace a, Picture is, Picture.Trace b) {
    return was.fineness(a) == is.fineness(b)
        && was.axisOf(a.axis()).fineness() == is.axisOf(b.axis()).fineness()
        && PointTexts.of(was, a.axis()).equals(PointTexts.of(is, b.axis()));
  }

  private static int[] keep(Picture.Trace a, Drawing.Style was, Picture.Trace b, Drawing.Style is) {
    var none = new int[] {0, 0};
    if (b.times().length == 0) {
      return none;
    }
    int from = Arrays.binarySearch(a.times(), b.times()[0]);
    var pairs =
        new double[][][] {
          {a.values(), b.values()},
          {a.low(), b.low()},
          {a.high(), b.high()},
          {a.shares(), b.shares()},
          {was.base(), is.base()},
          {was.drawn(), is.drawn()},
          {was.low(), is.low()},
          {was.high(), is.high()}
        };
    if (from < 0 || Arrays.stream(pairs).anyMatch(p -> (p[0] == null) != (p[1] == null))) {
      return none;
    }
    int n = Math.min(a.times().length - from, b.times().length);
    int same = 0;
    while (same < n && a.times()[from + same] == b.times()[same] && alike(pairs, from, same)) {
      same++;
    }
    return new int[] {from, same};
  }

  private static boolean alike(double[][][] pairs, int from, int at) {
    for (var p : pairs) {
      if (p[0] != null && Double.compare(p[0][from + at], p[1][at]) != 0) {
        return false;
      }
    }
    return true;
  }

  /** The chart without the points that are kept. */
  private static Drawing.Chart rest(Drawing.Chart c, List<int[]> keeps) {
    var p = c.picture();
    var traces = new ArrayList<Picture.Trace>();
    var styles = new ArrayList<Drawing.Style>();
    for (int i = 0; i < keeps.size(); i++) {
      int from = keeps.get(i)[1];
      var t = p.traces().get(i);
      var s = c.styles().get(i);
      traces.add(t.from(from));
      styles.add(
          new Drawing.Style(
              s.draw(),
              s.curve(),
              s.width(),
              s.dash(),
              s.points(),
              s.size(),
              s.fill(),
              s.envelope(),
              after(s.base(), from),
              after(s.drawn(), from),
              after(s.low(), from),
              after(s.high(), from)));
    }
    return new Drawing.Chart(
        c.kind(),
        c.words(),
        p.with(traces),
        styles,
        c.limits(),
        c.legend(),
        c.pointer(),
        c.reading(),
        c.zones(),
        c.caught(),
        c.axes(),
        c.cut(),
        c.nights(),
        c.beyond(),
        c.raised());
  }

  private static double[] after(double[] values, int from) {
    return values == null ? null : Arrays.copyOfRange(values, from, values.length);
  }
}
