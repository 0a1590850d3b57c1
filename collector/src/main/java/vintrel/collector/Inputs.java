package vintrel.collector;

import java.net.InetAddress;
import java.net.UnknownHostException;
import java.net.http.HttpClient;
import java.nio.file.Path;
import java.util.function.UnaryOperator;
import vintrel.collector.input.CheckInput;
import vintrel.collector.input.CommandInput;
import vintrel.collector.input.MqttInput;
import vintrel.collector.input.ScrapeInput;
import vintrel.collector.input.SpeedInput;
import vintrel.collector.input.SqlInput;
import vintrel.collector.input.TailInput;
import vintrel.collector.probe.Prober;
import vintrel.core.collect.CollectorConfig;

/** Makes inputs of what a configuration says. */
final class Inputs {
  private final HttpClient http;
  private final UnaryOperator<String> environment;
  private final Path folder;
  private final String from;
  private final Prober prober = new Prober(Inputs::resolve, null, "", null);

  /**
   * @param folder where inputs keep what they know
   * @param from the site or host that checks run from
   */
  Inputs(HttpClient http, UnaryOperator<String> environment, Path folder, String from) {
    this.http = http;
    this.environment = environment;
    this.folder = folder;
    this.from = from;
  }

  private static InetAddress[] resolve(String host) {
    try {
      return InetAddress.getAllByName(host);
    } catch (UnknownHostException e) {
      throw new IllegalArgumentException("unknown host " + host);
    }
  }

  Input of(CollectorConfig.Input input) {
    return switch (input.source()) {
      case CollectorConfig.Host h -> new HostInput(h.parts(), h.processes());
      case CollectorConfig.Probing c -> new CheckInput(prober, input, c, from, environment);
      case CollectorConfig.Scrape s -> new ScrapeInput(input, s, environment);
      case CollectorConfig.Command c -> new CommandInput(input, c, environment);
      case CollectorConfig.Sql s -> new SqlInput(input, s, environment);
      case CollectorConfig.Mqtt m -> new MqttInput(input, m, environment, folder);
      case CollectorConfig.Tail t -> new TailInput(input, t, folder);
      case CollectorConfig.Speed s -> new SpeedInput(http, input, s, environment);
    };
  }
}
