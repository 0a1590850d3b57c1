package vintrel.server.ask;

import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import java.util.function.BooleanSupplier;
import org.springframework.stereotype.Service;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.series.Condition;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;
import vintrel.core.store.MemoryClaim;
import vintrel.server.store.LogStore;
import vintrel.server.web.Settings;
import vintrel.server.web.Turns;

/** Events, SQL stores and other Vintrels, as queries ask them. */
@Service
class ExternalSources implements ExternalSource {
  /** Labels of these names are hidden by the columns that a record has anyway. */
  static final List<String> COLUMNS = List.of("time", "level", "text", FIELDS);

  private final LogStore events;
  private final ExternalStores stores;
  private final SqlStores sql;
  private final RemoteStores remotes;
  private final long maxRead;
  private final long maxRows;

  ExternalSources(
      LogStore events,
      ExternalStores stores,
      SqlStores sql,
      RemoteStores remotes,
      Settings settings) {
    this.events = events;
    this.stores = stores;
    this.sql = sql;
    this.remotes = remotes;
    this.maxRead = settings.events().maxEventsRead();
    this.maxRows = settings.events().maxRows();
  }

  @Override
  public Frame events(
      String store,
      Condition where,
      long from,
      long to,
      long max,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    var wanted = new LogStore.Wanted(store, where, from, to, Math.min(max, maxRead), cancelled);
    return frame(events.read(wanted, maxRows, memory));
  }

  @Override
  public Map<Labels, long[]> eventTimes(
      String store,
      Condition where,
      long from,
      long to,
      long max,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    var wanted = new LogStore.Wanted(store, where, from, to, Math.min(max, maxRead), cancelled);
    var found = new EventTimes();
    events.visit(
        wanted,
        (named, records, passing) -> {
          // A time, and what its list has beyond.
          memory.take(2L * Long.BYTES * passing.length);
          found.add(records, passing);
        });
    return found.byLabels();
  }

  /** Records as a table: time, level, text, a column for each label, fields. */
  static Frame frame(List<Event> found) {
    var labels = new TreeSet<String>();
    found.forEach(e -> labels.addAll(e.labels().names()));
    labels.removeAll(COLUMNS);
    var columns = new ArrayList<Column>();
    columns.add(new Column.Time("time", found.stream().mapToLong(Event::time).toArray()));
    columns.add(new Column.Text("level", found.stream().map(Event::level).toArray(String[]::new)));
    columns.add(new Column.Text("text", found.stream().map(Event::text).toArray(String[]::new)));
    for (var label : labels) {
      var values =
          found.stream()
              .map(e -> e.labels().get(label) == null ? "" : e.labels().get(label))
              .toArray(String[]::new);
      columns.add(new Column.Text(label, values));
    }
    columns.add(new Column.Text(FIELDS, found.stream().map(Event::fields).toArray(String[]::new)));
    return new Frame("events", columns);
  }

  @Override
  public Frame sql(
      String store,
      String statement,
      long from,
      long to,
      long step,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    var access = stores.need(ExternalStores.Form.SQL, store);
    return Turns.outside(() -> sql.ask(access, statement, from, to, step, cancelled, memory));
  }

  @Override
  public Collection<String> remotes() {
    return stores.names(ExternalStores.Form.VINTREL);
  }

  @Override
  public Remote remote(
      String store,
      String query,
      long from,
      long to,
      long pitch,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    var access = stores.need(ExternalStores.Form.VINTREL, store);
    return Turns.outside(() -> remotes.ask(access, query, from, to, pitch, cancelled, memory));
  }
}
