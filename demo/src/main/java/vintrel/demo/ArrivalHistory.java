package vintrel.demo;

import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;
import java.util.function.LongToDoubleFunction;

/**
 * What Vintrel would have noted about the arrivals of the demo's sources before it started, as CSV:
 * so that Collect has its strips from the first minute on. Sources send at their usual pace; what
 * mid-isles holds back while its link is down comes at once afterwards.
 */
final class ArrivalHistory {
  private static final long EVERY = 60_000;
  private static final long SCRAPED_EVERY = 10_000;
  private static final int PULSES = 6;
  private static final int PER_TARGET = 8;

  /** A source, and what it sends in the minute that begins at a time. */
  private record Source(String name, String token, String way, LongToDoubleFunction sends) {}

  private final Fleet fleet;
  private final List<Source> sources = new ArrayList<>();

  ArrivalHistory(Fleet fleet, Records records) {
    this.fleet = fleet;
    var series = new TreeMap<String, Integer>();
    var all = new ArrayList<>(fleet.signals());
    all.addAll(fleet.fine());
    for (var s : all) {
      var part = Part.of(s);
      var name = part == Part.APPS ? s.labels.getOrDefault("service", part.token) : part.token;
      series.merge(part + "\n" + name, 1, Integer::sum);
    }
    series.forEach(
        (key, n) -> {
          var part = Part.valueOf(key.substring(0, key.indexOf('\n')));
          var name = key.substring(key.indexOf('\n') + 1);
          boolean hosts = part == Part.HOSTS || part == Part.MID_ISLES;
          double usual = PULSES * (double) n;
          sources.add(
              new Source(
                  name,
                  part.token,
                  hosts ? "collector" : "otlp",
                  part == Part.MID_ISLES ? t -> overTheLink(t, usual) : t -> usual));
        });
    sources.add(new Source(Part.APPS.token, Part.APPS.token, "logs", records::count));
    sources.add(
        new Source(
            "scanners",
            "scanners",
            "scrape",
            t -> PULSES * PER_TARGET * (double) (fleet.linkDown(t) ? 2 : 3)));
  }

  /** Nothing while the link is down; then, in the first minute, all that was held back. */
  private double overTheLink(long t, double usual) {
    if (fleet.linkDown(t)) {
      return 0;
    }
    int held = 0;
    while (fleet.linkDown(t - (held + 1) * EVERY)) {
      held++;
    }
    return usual * (1 + held);
  }

  /** The account of the sources, for the store vintrel. */
  String account(long from, long to) {
    var out = new StringBuilder("time,metric,kind,value,source,token,way\n");
    for (var s : sources) {
      double total = 0;
      for (long t = from; t < to; t += EVERY) {
        total += s.sends().applyAsDouble(t);
        out.append(t)
            .append(",vintrel.source.samples,counter,")
            .append((long) total)
            .append(',')
            .append(s.name())
            .append(',')
            .append(s.token())
            .append(',')
            .append(s.way())
            .append('\n');
      }
    }
    return out.toString();
  }

  /**
   * What each scrape of the scanners gave, for the main store.
   *
   * @param address host and port of the stand-ins
   */
  String scrapes(String address, long from, long to) {
    var out = new StringBuilder("time,metric,kind,value,job,instance\n");
    for (var site : Fleet.SITES.keySet()) {
      for (long t = from; t < to; t += SCRAPED_EVERY) {
        if (!site.equals("mid-isles") || !fleet.linkDown(t)) {
          out.append(t)
              .append(",scrape.samples,gauge,")
              .append(PER_TARGET)
              .append(",scanners,")
              .append(address)
              .append("/targets/")
              .append(site)
              .append('\n');
        }
      }
    }
    return out.toString();
  }
}
