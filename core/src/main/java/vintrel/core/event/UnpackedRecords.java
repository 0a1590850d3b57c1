package vintrel.core.event;

import java.util.LinkedHashMap;
import java.util.List;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;

/** Records as they came, not packed. */
public final class UnpackedRecords implements Records {
  private final List<Event> events;
  private final int[] sets;
  private final List<Labels> labelSets;

  public UnpackedRecords(List<Event> events) {
    this.events = events;
    this.sets = new int[events.size()];
    var known = new LinkedHashMap<Labels, Integer>();
    for (int i = 0; i < sets.length; i++) {
      sets[i] = known.computeIfAbsent(events.get(i).labels(), k -> known.size());
    }
    this.labelSets = List.copyOf(known.keySet());
  }

  @Override
  public int count() {
    return sets.length;
  }

  @Override
  public long id(int i) {
    return events.get(i).id();
  }

  @Override
  public long time(int i) {
    return events.get(i).time();
  }

  @Override
  public int level(int i) {
    return Records.code(events.get(i).level());
  }

  @Override
  public List<Labels> labelSets() {
    return labelSets;
  }

  @Override
  public int labels(int i) {
    return sets[i];
  }

  @Override
  public String text(int i) {
    return events.get(i).text();
  }

  @Override
  public String fields(int i) {
    return events.get(i).fields();
  }
}
