package vintrel.server.web;

import java.util.LinkedHashMap;
import java.util.Map;
import org.springframework.boot.EnvironmentPostProcessor;
import org.springframework.boot.SpringApplication;
import org.springframework.core.env.ConfigurableEnvironment;
import org.springframework.core.env.MapPropertySource;
import org.springframework.core.env.PropertySource;
import org.springframework.core.env.SystemEnvironmentPropertySource;

/** Settings under the names of version 0.1 keep working for one version, with a warning. */
public final class EarlierSettings implements EnvironmentPostProcessor {
  private static final String PREFIX = "vintrel.";

  /** The names that were, without their prefix. */
  static final Map<String, String> RENAMED =
      Map.ofEntries(
          Map.entry("ingest.most-bytes", "ingest.max-request-bytes"),
          Map.entry("ingest.most-body-bytes", "ingest.max-body-bytes"),
          Map.entry("ingest.most-waiting", "ingest.max-queued-samples"),
          Map.entry("ingest.most-series-of-metric", "ingest.max-series-per-metric"),
          Map.entry("ingest.most-new-series-an-hour", "ingest.max-new-series-per-hour"),
          Map.entry("events.most-read", "events.max-events-read"),
          Map.entry("events.most-rows", "events.max-rows"),
          Map.entry("query.most-waiting", "query.max-waiting"),
          Map.entry("query.most-of-one", "query.max-per-caller"),
          Map.entry("query.most-series", "query.max-series"),
          Map.entry("query.most-samples", "query.max-samples"),
          Map.entry("query.most-millis", "query.max-millis"),
          Map.entry("watch.most-series", "watch.max-series"));

  @Override
  public void postProcessEnvironment(
      ConfigurableEnvironment environment, SpringApplication application) {
    var found = new LinkedHashMap<String, Object>();
    RENAMED.forEach(
        (old, now) -> {
          for (var source : environment.getPropertySources()) {
            var value = value(source, PREFIX + old);
            if (value != null) {
              found.put(PREFIX + now, value);
              // Before there is a log.
              System.err.println(
                  "vintrel: the setting %s%s was renamed to %s%s; the old name still works in this version"
                      .formatted(PREFIX, old, PREFIX, now));
              break;
            }
          }
        });
    if (!found.isEmpty()) {
      environment.getPropertySources().addFirst(new MapPropertySource("earlier names", found));
    }
  }

  private static Object value(PropertySource<?> source, String name) {
    if (source instanceof SystemEnvironmentPropertySource) {
      // VINTREL_INGEST_MOSTBYTES, as the framework reads variables.
      var variable = name.replace("-", "").replace('.', '_').toUpperCase(java.util.Locale.ROOT);
      return source.getProperty(variable);
    }
    return source.getProperty(name);
  }
}
