package vintrel.core.query;

import java.util.LinkedHashMap;
import java.util.Map;
import vintrel.core.frame.Frame;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.series.Labels;

/** What tests take for granted of a line's answer; a cast that fails fails the test. */
public final class Sets {
  private Sets() {}

  public static Grid grid(SeriesSet set) {
    return ((SeriesSet.Gridded) set).grid();
  }

  /** Rising times of records by their labels. */
  static Map<Labels, long[]> times(Frame events) {
    var out = new LinkedHashMap<Labels, long[]>();
    Frames.toSeries(events).rows().forEach(r -> out.put(r.labels(), r.raw().times()));
    return out;
  }

  public static Frame table(SeriesSet set) {
    return ((SeriesSet.Table) set).frame();
  }
}
