package vintrel.server.store;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;

/**
 * How many written raw samples lie in each minute. A day is read from the database once, and then
 * kept up to date with what is written; what is deleted makes all be read again. Any thread.
 */
final class ArrivalDensity {
  /** Days that are kept: 11 kB each. */
  private static final int MAX_DAYS = 1_000;

  private static final int MINUTES = 1_440;

  private final Database database;
  private final Map<Long, double[]> days = new HashMap<>();
  private long changes;

  ArrivalDensity(Database database) {
    this.database = database;
  }

  synchronized void written(List<ChunkRow> rows) {
    changes++;
    for (var row : rows) {
      if (row.sealed && row.tier == 0) {
        spread(days, row.startTime, row.endTime, row.sampleCount);
      }
    }
  }

  synchronized void forget() {
    changes++;
    days.clear();
  }

  /**
   * Adds the samples of [from, to) to equal parts of it, each several minutes long.
   *
   * @param to exclusive, ms
   */
  void count(long from, long to, double[] counts) {
    var known = days(Math.floorDiv(from, Durations.DAY), Math.floorDiv(to - 1, Durations.DAY));
    double part = (to - from) / (double) counts.length;
    known.forEach(
        (day, minutes) -> {
          for (int m = 0; m < MINUTES; m++) {
            if (minutes[m] > 0) {
              long start = day * Durations.DAY + m * Durations.MINUTE;
              add(counts, from, part, start, start + Durations.MINUTE, minutes[m]);
            }
          }
        });
  }

  /** Shares a count out over the parts that [start, end) touches, by time. */
  static void add(double[] counts, long from, double part, long start, long end, double count) {
    int first = (int) Math.max(0, Math.floor((start - from) / part));
    int last = (int) Math.min(counts.length - 1, Math.floor((end - 1 - from) / part));
    for (int i = first; i <= last; i++) {
      double a = Math.max(start, from + i * part);
      double b = Math.min(end, from + (i + 1) * part);
      counts[i] += count * Math.max(0, b - a) / (end - start);
    }
  }

  private Map<Long, double[]> days(long first, long last) {
    var out = new HashMap<Long, double[]>();
    long before;
    synchronized (this) {
      before = changes;
      for (long d = first; d <= last; d++) {
        var known = days.get(d);
        if (known != null) {
          out.put(d, known.clone());
        }
      }
    }
    if (out.size() == last - first + 1) {
      return out;
    }
    var read = new HashMap<Long, double[]>();
    for (long d = first; d <= last; d++) {
      if (!out.containsKey(d)) {
        read.put(d, new double[MINUTES]);
      }
    }
    long from = read.keySet().stream().min(Long::compare).orElseThrow() * Durations.DAY;
    long to = (read.keySet().stream().max(Long::compare).orElseThrow() + 1) * Durations.DAY;
    database.run(
        s ->
            s.createSelectionQuery(
                    "select startTime, endTime, sampleCount from Chunk where endTime >= :from and"
                        + " startTime < :to and sealed = true and tier = 0",
                    Object[].class)
                .setParameter("from", from)
                .setParameter("to", to)
                .getResultList()
                .forEach(r -> spread(read, (Long) r[0], (Long) r[1], (Integer) r[2])));
    synchronized (this) {
      // What was written meanwhile may be in it or not: it is used once, and not kept.
      if (changes == before) {
        if (days.size() + read.size() > MAX_DAYS) {
          days.clear();
        }
        read.forEach((d, minutes) -> days.put(d, minutes.clone()));
      }
    }
    out.putAll(read);
    return out;
  }

  /**
   * Shares the samples of a chunk out evenly over its minutes, as far as their days are there.
   *
   * @param end inclusive
   */
  private static void spread(Map<Long, double[]> days, long start, long end, int count) {
    double length = end - start + 1;
    long minute = Math.floorDiv(start, Durations.MINUTE);
    long last = Math.floorDiv(end, Durations.MINUTE);
    for (; minute <= last; minute++) {
      var day = days.get(Math.floorDiv(minute, MINUTES));
      if (day == null) {
        // To the next day, in one step.
        minute = (Math.floorDiv(minute, MINUTES) + 1) * MINUTES - 1;
        continue;
      }
      long a = Math.max(start, minute * Durations.MINUTE);
      long b = Math.min(end + 1, (minute + 1) * Durations.MINUTE);
      day[(int) Math.floorMod(minute, (long) MINUTES)] += count * (b - a) / length;
    }
  }
}
