package vintrel.collector;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.series.Event;

/**
 * Readings and records as OTLP requests, encoded as protobuf: opentelemetry-proto 1.x, metrics.v1
 * and logs.v1. Pure.
 */
final class OtlpRequest {
  private static final int CUMULATIVE = 2;
  private static final List<Integer> SEVERITIES = List.of(1, 5, 9, 13, 17, 21);

  private OtlpRequest() {}

  private record Head(String metric, String unit, boolean counter) {}

  /**
   * @param resource labels of all; {@code host} is sent as host.name
   * @param time of readings that have none, ms
   */
  static byte[] metrics(List<Reading> readings, Map<String, String> resource, long time) {
    var byMetric = new LinkedHashMap<Head, List<Reading>>();
    for (var r : readings) {
      if (Double.isFinite(r.value())) {
        byMetric
            .computeIfAbsent(new Head(r.metric(), r.unit(), r.counter()), k -> new ArrayList<>())
            .add(r);
      }
    }
    return new ProtoWriter()
        .message(
            1,
            all ->
                all.message(1, r -> attributes(r, 1, resource))
                    .message(
                        2,
                        scope ->
                            byMetric.forEach(
                                (head, some) ->
                                    scope.message(2, m -> metric(m, head, some, time)))))
        .done();
  }

  private static void metric(ProtoWriter m, Head head, List<Reading> some, long time) {
    m.text(1, head.metric()).text(3, head.unit());
    m.message(
        head.counter() ? 7 : 5,
        data -> {
          for (var r : some) {
            data.message(
                1,
                point -> {
                  point.fixed64(3, (r.time() == 0 ? time : r.time()) * 1_000_000L);
                  point.real(4, r.value());
                  attributes(point, 7, r.labels());
                });
          }
          if (head.counter()) {
            data.number(2, CUMULATIVE).number(3, 1);
          }
        });
  }

  static byte[] logs(List<Event> events, Map<String, String> resource) {
    var byLabels = new LinkedHashMap<Map<String, String>, List<Event>>();
    for (var e : events) {
      byLabels.computeIfAbsent(e.labels().asMap(), k -> new ArrayList<>()).add(e);
    }
    var out = new ProtoWriter();
    byLabels.forEach(
        (labels, some) -> {
          var all = new TreeMap<>(resource);
          all.putAll(labels);
          out.message(
              1,
              r ->
                  r.message(1, x -> attributes(x, 1, all))
                      .message(2, scope -> some.forEach(e -> scope.message(2, l -> log(l, e)))));
        });
    return out.done();
  }

  private static void log(ProtoWriter l, Event e) {
    l.fixed64(1, e.time() * 1_000_000L);
    int level = Event.LEVELS.indexOf(e.level());
    if (level >= 0) {
      l.number(2, SEVERITIES.get(level)).text(3, e.level());
    }
    l.message(5, body -> body.text(1, e.text()));
    Fields.of(e.fields())
        .forEach(
            (name, value) -> l.message(6, a -> a.text(1, name).message(2, v -> value(v, value))));
  }

  private static void value(ProtoWriter v, Object value) {
    switch (value) {
      case Boolean b -> v.number(2, b ? 1 : 0);
      case Integer i -> v.number(3, i);
      case Long i -> v.number(3, i);
      case Number d -> v.real(4, d.doubleValue());
      default -> v.text(1, String.valueOf(value));
    }
  }

  private static void attributes(ProtoWriter to, int field, Map<String, String> labels) {
    new TreeMap<>(labels)
        .forEach(
            (name, text) ->
                to.message(
                    field,
                    pair ->
                        pair.text(1, name.equals("host") ? "host.name" : name)
                            .message(2, v -> v.text(1, text))));
  }
}
