package vintrel.core.query.plan;

import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneId;
import java.util.Arrays;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.unit.Durations;

/**
 * Buckets side by side: bucket i is [time(i), end(i)), labelled by its start. They are all one
 * pitch wide, but for days and weeks in a zone whose clocks change: those are as long as they are
 * there.
 *
 * @param pitch ms, above zero; of days in a zone, their usual length
 * @param edges of uneven buckets, one more than buckets; null if all are even
 */
public record Grid(long start, long pitch, int count, long[] edges) {
  /** The first Monday of the epoch, in days. */
  private static final int MONDAY = 4;

  /** The maximum number of buckets of a grid. */
  public static final int MAX = 200_000;

  public Grid(long start, long pitch, int count) {
    this(start, pitch, count, null);
  }

  /** As below, in UTC. */
  public static Grid covering(long from, long to, long pitch, long origin) {
    return covering(from, to, pitch, origin, java.time.ZoneOffset.UTC);
  }

  /**
   * The buckets that cover [from, to), with bucket edges at origin + k·pitch; of whole days and the
   * epoch as their origin, at midnights of the zone, and of whole weeks, at those of Mondays.
   *
   * @throws QueryException if that were more than {@link #MAX}
   */
  public static Grid covering(long from, long to, long pitch, long origin, ZoneId zone) {
    if (pitch % Durations.DAY == 0 && origin == 0 && !isUtc(zone)) {
      return days(from, to, pitch / Durations.DAY, zone);
    }
    // Day 0 of the epoch is a Thursday; weeks begin on Mondays.
    long anchor = origin == 0 && pitch % Durations.WEEK == 0 ? MONDAY * Durations.DAY : origin;
    long start = from - Math.floorMod(from - anchor, pitch);
    long count = Math.ceilDiv(to - start, pitch);
    return new Grid(start, pitch, bounded(count));
  }

  private static boolean isUtc(ZoneId zone) {
    return zone.getRules().isFixedOffset()
        && zone.getRules().getOffset(Instant.EPOCH).getTotalSeconds() == 0;
  }

  private static int bounded(long count) {
    if (count > MAX) {
      throw new QueryException(
          "limit.buckets",
          "%,d buckets are too many; the limit is %,d. Use wider buckets or a shorter range"
              .formatted(count, MAX),
          0,
          0);
    }
    return (int) Math.max(0, count);
  }

  private static Grid days(long from, long to, long days, ZoneId zone) {
    long first = Instant.ofEpochMilli(from).atZone(zone).toLocalDate().toEpochDay();
    long day = first - Math.floorMod(first - (days % 7 == 0 ? MONDAY : 0), days);
    int max = bounded(Math.ceilDiv(to - from, days * Durations.DAY)) + 2;
    var edges = new long[max + 1];
    int n = 0;
    edges[0] = midnight(day, zone);
    while (edges[n] < to) {
      edges[++n] = midnight(day + n * days, zone);
    }
    return new Grid(edges[0], days * Durations.DAY, n, Arrays.copyOf(edges, n + 1));
  }

  private static long midnight(long epochDay, ZoneId zone) {
    return LocalDate.ofEpochDay(epochDay).atStartOfDay(zone).toInstant().toEpochMilli();
  }

  public long time(int bucket) {
    return edges == null ? start + bucket * pitch : edges[bucket];
  }

  /** The end of a bucket, exclusive. */
  public long end(int bucket) {
    return edges == null ? start + (bucket + 1) * pitch : edges[bucket + 1];
  }

  public long end() {
    return count == 0 ? start : end(count - 1);
  }

  /** The index of the bucket with a time; may be outside 0 … count-1. */
  public long bucket(long time) {
    if (edges == null) {
      return Math.floorDiv(time - start, pitch);
    }
    int i = Arrays.binarySearch(edges, time);
    return i >= 0 ? i : -i - 2;
  }

  public long[] times() {
    var out = new long[count];
    for (int i = 0; i < count; i++) {
      out[i] = time(i);
    }
    return out;
  }

  /** Whether each bucket of another grid that begins within this one is one of this. */
  public boolean hasBucketsOf(Grid other) {
    for (int i = 0; i < other.count; i++) {
      long at = bucket(other.time(i));
      if (at >= 0
          && at < count
          && (time((int) at) != other.time(i) || end((int) at) != other.end(i))) {
        return false;
      }
    }
    return true;
  }

  /** Whether all edges are at multiples of a duration, ms. */
  public boolean at(long multiple) {
    if (edges == null) {
      return start % multiple == 0 && pitch % multiple == 0;
    }
    return Arrays.stream(edges).allMatch(e -> e % multiple == 0);
  }

  public Grid shifted(long millis) {
    return new Grid(
        start + millis,
        pitch,
        count,
        edges == null ? null : Arrays.stream(edges).map(e -> e + millis).toArray());
  }

  /** Buckets [first, last) alone. */
  public Grid part(int first, int last) {
    return new Grid(
        time(first),
        pitch,
        last - first,
        edges == null ? null : Arrays.copyOfRange(edges, first, last + 1));
  }

  /** With more buckets of the same pitch at the end. */
  public Grid longer(int more) {
    if (edges == null) {
      return new Grid(start, pitch, count + more);
    }
    var out = Arrays.copyOf(edges, edges.length + more);
    for (int i = edges.length; i < out.length; i++) {
      out[i] = out[i - 1] + pitch;
    }
    return new Grid(start, pitch, count + more, out);
  }
}
