package vintrel.core.collect;

import com.google.re2j.Pattern;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/**
 * What a collector reads and where it sends it. Texts may hold {@code ${NAME}}, which the collector
 * takes from its environment. Immutable; any thread.
 *
 * @param to the server's address
 * @param token of the server
 * @param every ms between two readings of an input that says nothing else
 * @param labels of all that is sent
 * @param queueBytes what may wait on disk while the server can't be reached
 * @param fetch whether it takes its inputs from the server
 * @param variables of its environment that inputs from the server may use
 */
public record CollectorConfig(
    String name,
    String to,
    String token,
    long every,
    Map<String, String> labels,
    long queueBytes,
    Fetch fetch,
    List<String> variables,
    List<Input> inputs) {
  public static final String TO = "${VINTREL_URL}";
  public static final String TOKEN = "${VINTREL_TOKEN}";
  public static final int MAX_INPUTS = 1_000;

  /** Whether a collector takes its inputs from the server. */
  public enum Fetch {
    /** Only from its file. */
    OFF,
    /** From the server, but for inputs that run commands. */
    INPUTS,
    /** From the server. */
    ALL
  }

  public CollectorConfig {
    labels = Map.copyOf(labels);
    inputs = List.copyOf(inputs);
  }

  /**
   * Something that is read.
   *
   * @param name unique within the configuration
   * @param every ms between two readings
   * @param timeout ms for one reading
   * @param labels of what it reads
   */
  public record Input(
      String name, long every, long timeout, Map<String, String> labels, Source source) {
    public Input {
      labels = Map.copyOf(labels);
    }
  }

  /** What an input reads. */
  public sealed interface Source {}

  /**
   * This host.
   *
   * @param parts of cpu, memory, disks, network, system; empty: all
   * @param processes names of programs whose processes are counted and measured
   */
  public record Host(List<String> parts, List<String> processes) implements Source {
    public static final List<String> PARTS = List.of("cpu", "memory", "disks", "network", "system");

    public Host {
      parts = List.copyOf(parts);
      processes = List.copyOf(processes);
    }
  }

  /**
   * A probe, with a verdict as checks have it.
   *
   * @param title for its events; empty: the name of the input
   * @param maxDuration ms; 0: any
   */
  public record Probing(String title, Check.Probe probe, long maxDuration) implements Source {}

  /** A page of metrics. */
  public record Scrape(String url, Map<String, String> headers, LabelRewrite rewrite)
      implements Source {
    public Scrape {
      headers = Map.copyOf(headers);
    }
  }

  /**
   * A program: its exit code, and what it prints.
   *
   * @param run the program and its arguments; no shell reads them
   * @param format what is printed: nothing that counts, numbers by line, or JSON
   * @param metric the name of a number that has none
   * @param values of JSON: metrics and the paths of their values
   */
  public record Command(List<String> run, Format format, String metric, Map<String, String> values)
      implements Source {
    public Command {
      run = List.copyOf(run);
      values = Map.copyOf(values);
    }
  }

  public enum Format {
    EXIT,
    NUMBERS,
    JSON
  }

  /**
   * Rows of a statement: texts are labels, numbers are metrics.
   *
   * @param metric what the names of metrics begin with
   */
  public record Sql(String url, String user, String password, String statement, String metric)
      implements Source {}

  /**
   * Messages of a broker.
   *
   * @param topics filters with + and #
   * @param topic a pattern such as quay/{gate}/scanner, whose parts become labels; may be empty
   * @param qos 1: what comes while the collector is away waits at the broker; 0: it is lost
   * @param metric the name of a payload that is a number
   * @param values of JSON: metrics and the paths of their values
   */
  public record Mqtt(
      String url,
      String user,
      String password,
      List<String> topics,
      int qos,
      String topic,
      String metric,
      Map<String, String> values)
      implements Source {
    public Mqtt {
      topics = List.copyOf(topics);
      values = Map.copyOf(values);
    }
  }

  /**
   * Lines that are written to files.
   *
   * @param files paths; the name may hold *
   * @param json whether lines are JSON objects
   * @param pattern what lines are made of, with named groups; null: the whole line is the text
   * @param starts how a record's first line begins; null: each line is one
   */
  public record Tail(List<String> files, boolean json, Pattern pattern, Pattern starts)
      implements Source {
    public Tail {
      files = List.copyOf(files);
    }
  }

  /**
   * How fast an address can be read and written.
   *
   * @param download address to read, or empty
   * @param upload address to write to, or empty
   * @param maxBytes of one transfer
   */
  public record Speed(String download, String upload, long maxBytes) implements Source {}

  /** Fields that hold a secret itself instead of a name of the environment. */
  public List<String> exposed() {
    var out = new ArrayList<String>();
    if (isPlain(token)) {
      out.add("token");
    }
    for (int i = 0; i < inputs.size(); i++) {
      var at = "inputs[" + i + "].";
      switch (inputs.get(i).source()) {
        case Sql s when isPlain(s.password()) -> out.add(at + "password");
        case Mqtt m when isPlain(m.password()) -> out.add(at + "password");
        case Scrape s -> headers(s.headers(), at, out);
        case Probing(var title, Check.Http h, var max) -> headers(h.headers(), at, out);
        default -> {
          // Has no secrets.
        }
      }
    }
    return out;
  }

  private static void headers(Map<String, String> headers, String at, List<String> out) {
    headers.forEach(
        (name, value) -> {
          var low = name.toLowerCase(java.util.Locale.ROOT);
          boolean secret =
              low.equals("authorization") || low.contains("token") || low.contains("key");
          if (secret && isPlain(value)) {
            out.add(at + "headers");
          }
        });
  }

  private static boolean isPlain(String text) {
    return !text.isEmpty() && !text.contains("${");
  }

  /**
   * With the checks that are placed at it, after its own inputs. One whose name an input has is
   * left out, since its metrics would be taken for the input's.
   */
  public CollectorConfig with(List<Check> checks) {
    var all = new ArrayList<>(inputs);
    for (var check : checks) {
      boolean wanted = check.from().contains(name) && !check.paused() && !has(check.name());
      if (wanted && all.size() < MAX_INPUTS) {
        var source = new Probing(check.title(), check.probe(), check.maxDuration());
        all.add(new Input(check.name(), check.every(), check.timeout(), check.labels(), source));
      }
    }
    return new CollectorConfig(name, to, token, every, labels, queueBytes, fetch, variables, all);
  }

  /** Whether an input has a name. */
  public boolean has(String input) {
    return inputs.stream().anyMatch(i -> i.name().equals(input));
  }

  /** The inputs that run commands. */
  public List<String> commands() {
    return inputs.stream().filter(i -> i.source() instanceof Command).map(Input::name).toList();
  }
}
