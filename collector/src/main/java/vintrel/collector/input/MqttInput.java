package vintrel.collector.input;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;
import java.util.UUID;
import java.util.function.UnaryOperator;
import org.eclipse.paho.client.mqttv3.IMqttDeliveryToken;
import org.eclipse.paho.client.mqttv3.MqttCallbackExtended;
import org.eclipse.paho.client.mqttv3.MqttClient;
import org.eclipse.paho.client.mqttv3.MqttConnectOptions;
import org.eclipse.paho.client.mqttv3.MqttException;
import org.eclipse.paho.client.mqttv3.MqttMessage;
import org.eclipse.paho.client.mqttv3.persist.MemoryPersistence;
import vintrel.collector.Input;
import vintrel.collector.InputException;
import vintrel.collector.Reading;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.series.MetricKind;

/** Messages of an MQTT 3.1.1 broker between two readings. Comes again by itself when it is cut. */
public final class MqttInput implements Input {
  /** Messages between two readings; more are dropped and told. */
  private static final int MAX_MESSAGES = 50_000;

  private final CollectorConfig.Input input;
  private final CollectorConfig.Mqtt source;
  private final UnaryOperator<String> environment;
  private final TopicPattern pattern;
  private final List<Reading> waiting = new ArrayList<>();
  private MqttClient client;
  private int dropped;

  public MqttInput(
      CollectorConfig.Input input, CollectorConfig.Mqtt source, UnaryOperator<String> environment) {
    this.input = input;
    this.source = source;
    this.environment = environment;
    this.pattern = TopicPattern.of(source.topic());
  }

  @Override
  public List<Reading> read() throws InputException {
    try {
      connect();
    } catch (MqttException e) {
      throw new InputException("the broker can't be reached: " + words(e));
    }
    synchronized (waiting) {
      var taken = new ArrayList<>(waiting);
      waiting.clear();
      if (dropped > 0) {
        int n = dropped;
        dropped = 0;
        taken.add(Reading.gauge("collector.mqtt.dropped", "", n, input.labels()));
      }
      return taken;
    }
  }

  private static String words(MqttException e) {
    return e.getCause() == null ? e.getMessage() : e.getCause().getMessage();
  }

  private void connect() throws MqttException {
    if (client != null && client.isConnected()) {
      return;
    }
    if (client == null) {
      var id = "vintrel-" + UUID.randomUUID().toString().substring(0, 12);
      client = new MqttClient(environment.apply(source.url()), id, new MemoryPersistence());
      client.setTimeToWait(input.timeout());
      client.setCallback(new Taking());
    }
    var options = new MqttConnectOptions();
    options.setConnectionTimeout((int) Math.max(1, input.timeout() / 1000));
    options.setCleanSession(true);
    options.setAutomaticReconnect(false);
    if (!source.user().isEmpty()) {
      options.setUserName(environment.apply(source.user()));
      options.setPassword(environment.apply(source.password()).toCharArray());
    }
    client.connect(options);
  }

  private void take(String topic, MqttMessage message) {
    long now = System.currentTimeMillis();
    var payload = new String(message.getPayload(), StandardCharsets.UTF_8);
    var labels = new TreeMap<>(input.labels());
    labels.putAll(pattern.labels(topic));
    List<Reading> readings;
    if (source.values().isEmpty()) {
      double value = Values.number(payload);
      var metric = source.metric().isEmpty() ? topic.replace('/', '.') : source.metric();
      readings =
          Double.isNaN(value)
              ? List.of()
              : List.of(new Reading(metric, MetricKind.GAUGE, "", value, labels, now));
    } else {
      readings = Values.json(payload, source.values(), labels, now);
    }
    synchronized (waiting) {
      if (waiting.size() + readings.size() > MAX_MESSAGES) {
        dropped += readings.size();
      } else {
        waiting.addAll(readings);
      }
    }
  }

  private final class Taking implements MqttCallbackExtended {
    @Override
    public void connectComplete(boolean again, String url) {
      // Subscribing waits for an answer that this thread itself would have to take.
      Thread.ofVirtual()
          .start(
              () -> {
                try {
                  client.subscribe(source.topics().toArray(String[]::new));
                } catch (MqttException e) {
                  try {
                    client.disconnectForcibly(0, 0);
                  } catch (MqttException gone) {
                    // The next reading connects again.
                  }
                }
              });
    }

    @Override
    public void connectionLost(Throwable cause) {
      // The next reading connects again.
    }

    @Override
    public void messageArrived(String topic, MqttMessage message) {
      take(topic, message);
    }

    @Override
    public void deliveryComplete(IMqttDeliveryToken token) {
      // Nothing is sent.
    }
  }

  @Override
  public void close() {
    try {
      if (client != null) {
        client.disconnectForcibly(0, 100);
        client.close(true);
      }
    } catch (MqttException e) {
      // It is gone then.
    }
  }
}
