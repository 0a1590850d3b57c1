package vintrel.core.wire;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;

/** Keeps what it is given as texts: metric{labels} kind unit time value. */
final class RecordingIntake implements Intake {
  final List<String> series = new ArrayList<>();
  final List<String> samples = new ArrayList<>();
  final List<String> refusals = new ArrayList<>();
  int refused;
  private double total;

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
  public double total(int id, double difference) {
    return total += difference;
  }

  @Override
  public void refuse(int points, String why) {
    refused += points;
    refusals.add(why);
  }
}
