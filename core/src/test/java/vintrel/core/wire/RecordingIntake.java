package vintrel.core.wire;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.NavigableSet;
import java.util.TreeSet;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;

/** Keeps what it is given as texts: metric{labels} kind unit time value. */
final class RecordingIntake implements SampleSink {
  final List<String> series = new ArrayList<>();
  final List<String> samples = new ArrayList<>();
  final Map<String, String> described = new HashMap<>();
  final List<String> refusals = new ArrayList<>();
  int refused;
  int exemplars;
  private final Map<Integer, Double> totals = new HashMap<>();
  final NavigableSet<Double> bounds = new TreeSet<>();

  @Override
  public int series(SeriesKey key, MetricKind kind, String unit) {
    var text = key.metric() + "{" + key.labels() + "} " + kind.text() + " " + unit;
    int known = series.indexOf(text.strip());
    if (known >= 0) {
      return known;
    }
    series.add(text.strip());
    return series.size() - 1;
  }

  @Override
  public void sample(int id, long time, double value) {
    samples.add(series.get(id) + " @" + time + " = " + value);
  }

  @Override
  public void began(int id, long start, long time) {
    samples.add(series.get(id) + " since " + start + " at " + time);
  }

  @Override
  public void difference(int id, long start, long time, double by, boolean grows) {
    sample(id, time, totals.merge(id, by, Double::sum));
  }

  @Override
  public NavigableSet<Double> bounds(SeriesKey buckets) {
    return bounds;
  }

  @Override
  public void exemplars(int n) {
    exemplars += n;
  }

  @Override
  public void describe(String metric, String text) {
    described.put(metric, text);
  }

  @Override
  public void refuse(String metric, int points, String why) {
    refused += points;
    refusals.add(metric.isEmpty() ? why : metric + ": " + why);
  }
}
