package vintrel.collector.input;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
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

/**
 * Messages of an MQTT 3.1.1 broker between two readings. Comes again by itself when it is cut. At
 * quality of service 1 the broker keeps what comes meanwhile, in a session by a name that is kept
 * here; a message is acknowledged once it is in a file, so that a kill loses none. One that a kill
 * met between the two comes twice.
 */
public final class MqttInput implements Input {
  /** Messages between two readings; more wait at the broker, or are dropped and told. */
  private static final int MAX_MESSAGES = 50_000;

  private final CollectorConfig.Input input;
  private final CollectorConfig.Mqtt source;
  private final UnaryOperator<String> environment;
  private final TopicPattern pattern;
  private final List<Reading> waiting = new ArrayList<>();
  private final Path folder;
  private final MessageFile messages;
  private boolean begun;
  private MqttClient client;
  private int dropped;
  private int unreadable;
  private Runnable confirmation = () -> {};

  /**
   * @param folder where messages and the session's name are kept
   */
  public MqttInput(
      CollectorConfig.Input input,
      CollectorConfig.Mqtt source,
      UnaryOperator<String> environment,
      Path folder) {
    this.folder = folder;
    this.messages =
        source.qos() == 0 ? null : new MessageFile(folder, "mqtt-" + safe(input.name()));
    this.input = input;
    this.source = source;
    this.environment = environment;
    this.pattern = TopicPattern.of(source.topic());
  }

  private static String safe(String name) {
    return name.replaceAll("[^a-zA-Z0-9._-]", "_");
  }

  @Override
  public List<Reading> read() throws InputException {
    InputException fault = null;
    try {
      begin();
      connect();
    } catch (MqttException e) {
      fault = new InputException("the broker can't be reached: " + words(e));
    } catch (IOException e) {
      fault = new InputException("messages can't be kept in " + folder + ": " + e.getMessage());
    }
    synchronized (waiting) {
      if (fault != null && waiting.isEmpty()) {
        throw fault;
      }
      var taken = new ArrayList<>(waiting);
      waiting.clear();
      confirmation = messages == null ? () -> {} : messages.confirmation();
      count(taken, "collector.mqtt.dropped", dropped);
      count(taken, "collector.unreadable", unreadable);
      dropped = 0;
      unreadable = 0;
      return taken;
    }
  }

  private void count(List<Reading> to, String metric, int n) {
    if (n > 0) {
      var labels = new TreeMap<>(input.labels());
      labels.put("input", input.name());
      to.add(Reading.gauge(metric, "", n, labels));
    }
  }

  @Override
  public Runnable confirmation() {
    return confirmation;
  }

  /** Takes what an earlier run left. */
  private void begin() throws IOException {
    if (begun || messages == null) {
      return;
    }
    messages.left(
        m -> {
          var readings = readings(m.topic(), m.payload(), m.time());
          synchronized (waiting) {
            if (waiting.size() + readings.size() > 2 * MAX_MESSAGES) {
              dropped += readings.size();
            } else {
              waiting.addAll(readings);
            }
          }
        });
    begun = true;
  }

  private static String words(MqttException e) {
    return e.getCause() == null ? e.getMessage() : e.getCause().getMessage();
  }

  /** Addresses as they are usually written, for the library that has names of its own. */
  static String address(String url) {
    return url.replaceFirst("^mqtt://", "tcp://").replaceFirst("^mqtts://", "ssl://");
  }

  private void connect() throws MqttException, IOException {
    if (client != null && client.isConnected()) {
      return;
    }
    if (client == null) {
      var id = "vintrel-" + UUID.randomUUID().toString().substring(0, 12);
      if (messages != null) {
        id = MessageFile.kept(folder.resolve("mqtt-" + safe(input.name()) + ".session"), id);
      }
      var url = address(environment.apply(source.url()));
      client = new MqttClient(url, id, new MemoryPersistence());
      client.setTimeToWait(input.timeout());
      client.setCallback(new Taking());
    }
    var options = new MqttConnectOptions();
    options.setConnectionTimeout((int) Math.max(1, input.timeout() / 1000));
    options.setCleanSession(messages == null);
    options.setAutomaticReconnect(false);
    if (!source.user().isEmpty()) {
      options.setUserName(environment.apply(source.user()));
      options.setPassword(environment.apply(source.password()).toCharArray());
    }
    client.connect(options);
  }

  /**
   * @throws IOException if there is no room for it: then it is not acknowledged, and comes again
   */
  private void take(String topic, MqttMessage message) throws IOException {
    long now = System.currentTimeMillis();
    var payload = message.getPayload();
    if (payload.length > MessageFile.MAX_PAYLOAD) {
      synchronized (waiting) {
        unreadable++;
      }
      return;
    }
    var readings = readings(topic, payload, now);
    synchronized (waiting) {
      if (waiting.size() + readings.size() > MAX_MESSAGES) {
        if (messages != null && message.getQos() > 0) {
          throw new IOException("too many messages between two readings");
        }
        dropped += readings.size();
        return;
      }
      if (messages != null && !readings.isEmpty()) {
        messages.add(new MessageFile.Message(now, topic, payload));
      }
      waiting.addAll(readings);
    }
  }

  /** What a message holds; one without any is counted. */
  private List<Reading> readings(String topic, byte[] bytes, long time) {
    var payload = new String(bytes, StandardCharsets.UTF_8);
    var labels = new TreeMap<>(input.labels());
    labels.putAll(pattern.labels(topic));
    List<Reading> out;
    if (source.values().isEmpty()) {
      double value = Values.number(payload);
      var metric = source.metric().isEmpty() ? topic.replace('/', '.') : source.metric();
      out =
          Double.isNaN(value)
              ? List.of()
              : List.of(new Reading(metric, MetricKind.GAUGE, "", value, labels, time));
    } else {
      out = Values.json(payload, source.values(), labels, time);
    }
    if (out.isEmpty()) {
      synchronized (waiting) {
        unreadable++;
      }
    }
    return out;
  }

  /** A session goes on with what an earlier configuration subscribed to. */
  private void leaveOthers() throws MqttException, IOException {
    var file = folder.resolve("mqtt-" + safe(input.name()) + ".topics");
    var now = String.join("\n", source.topics());
    var before = Files.exists(file) ? Files.readString(file).strip() : "";
    if (!before.equals(now)) {
      var gone = new ArrayList<>(before.lines().filter(t -> !t.isBlank()).toList());
      gone.removeAll(source.topics());
      if (!gone.isEmpty()) {
        client.unsubscribe(gone.toArray(String[]::new));
      }
      Files.writeString(file, now);
    }
  }

  private void subscribe() throws MqttException, IOException {
    if (messages != null) {
      leaveOthers();
    }
    var quality = new int[source.topics().size()];
    Arrays.fill(quality, source.qos());
    client.subscribe(source.topics().toArray(String[]::new), quality);
  }

  private final class Taking implements MqttCallbackExtended {
    @Override
    public void connectComplete(boolean again, String url) {
      // Subscribing waits for an answer that this thread itself would have to take.
      Thread.ofVirtual()
          .start(
              () -> {
                try {
                  subscribe();
                } catch (MqttException | IOException e) {
                  try {
                    client.disconnectForcibly(0, 0);
                  } catch (MqttException | RuntimeException gone) {
                    // A client that is closed meanwhile fails in its own way. The next reading
                    // connects again.
                  }
                }
              });
    }

    @Override
    public void connectionLost(Throwable cause) {
      // The next reading connects again.
    }

    @Override
    public void messageArrived(String topic, MqttMessage message) throws IOException {
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
      if (messages != null) {
        messages.close();
      }
      if (client != null) {
        client.disconnectForcibly(0, 100);
        client.close(true);
      }
    } catch (MqttException | IOException e) {
      // It is gone then.
    }
  }
}
