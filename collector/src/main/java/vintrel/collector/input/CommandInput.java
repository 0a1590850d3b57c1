package vintrel.collector.input;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import java.util.function.UnaryOperator;
import vintrel.collector.Input;
import vintrel.collector.InputException;
import vintrel.collector.Reading;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.unit.Durations;

/**
 * A program that is run. No shell is between: arguments are passed as they are written. One that
 * takes longer than its timeout is killed with its children.
 */
public final class CommandInput implements Input {
  private static final int MAX_OUTPUT = 1_000_000;

  private final CollectorConfig.Input input;
  private final CollectorConfig.Command source;
  private final UnaryOperator<String> environment;

  public CommandInput(
      CollectorConfig.Input input,
      CollectorConfig.Command source,
      UnaryOperator<String> environment) {
    this.input = input;
    this.source = source;
    this.environment = environment;
  }

  @Override
  public List<Reading> read() throws InputException {
    long started = System.nanoTime();
    var labels = new TreeMap<>(input.labels());
    labels.put("command", input.name());
    Process process = null;
    try {
      process =
          new ProcessBuilder(source.run().stream().map(environment).toList())
              .redirectError(ProcessBuilder.Redirect.DISCARD)
              .redirectInput(ProcessBuilder.Redirect.from(new java.io.File("/dev/null")))
              .start();
      var running = process;
      var output = CompletableFuture.supplyAsync(() -> read(running.getInputStream()));
      if (!process.waitFor(input.timeout(), TimeUnit.MILLISECONDS)) {
        throw new InputException("did not end within " + Durations.words(input.timeout()));
      }
      var text = output.get(1, TimeUnit.SECONDS);
      var out = new ArrayList<Reading>();
      out.add(Reading.gauge("command.exit", "", process.exitValue(), labels));
      double seconds = (System.nanoTime() - started) / 1e9;
      out.add(Reading.gauge("command.duration", "s", seconds, labels));
      // Its numbers count whatever its code says: many programs tell a state by it.
      int unreadable = 0;
      switch (source.format()) {
        case EXIT -> {
          // The code is all.
        }
        case NUMBERS -> unreadable = numbers(text, out);
        case JSON -> {
          var found = Values.json(text, source.values(), input.labels(), 0);
          unreadable = found.isEmpty() ? 1 : 0;
          out.addAll(found);
        }
      }
      if (unreadable > 0) {
        var told = new TreeMap<>(input.labels());
        told.put("input", input.name());
        out.add(Reading.gauge("collector.unreadable", "", unreadable, told));
      }
      return out;
    } catch (IOException e) {
      throw new InputException("can't be run: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new InputException("stopped");
    } catch (java.util.concurrent.ExecutionException | java.util.concurrent.TimeoutException e) {
      throw new InputException("its output could not be read");
    } finally {
      if (process != null) {
        process.descendants().forEach(ProcessHandle::destroyForcibly);
        process.destroyForcibly();
      }
    }
  }

  private static String read(InputStream in) {
    try {
      var bytes = in.readNBytes(MAX_OUTPUT);
      // More is read and forgotten, so that the program can end.
      in.transferTo(java.io.OutputStream.nullOutputStream());
      return new String(bytes, StandardCharsets.UTF_8);
    } catch (IOException e) {
      return "";
    }
  }

  /**
   * Lines of NAME VALUE [LABEL=TEXT …], or of a value alone. A text with blanks is in double
   * quotes, in which a backslash goes before one and before itself.
   *
   * @return how many lines are none
   */
  private int numbers(String text, List<Reading> out) {
    int unreadable = 0;
    for (var line : text.lines().map(String::strip).filter(l -> !l.isEmpty()).toList()) {
      var reading = reading(line);
      if (reading == null) {
        unreadable++;
      } else {
        out.add(reading);
      }
    }
    return unreadable;
  }

  private Reading reading(String line) {
    var words = words(line);
    if (words == null) {
      return null;
    }
    boolean alone = words.size() == 1;
    var metric =
        alone ? source.metric().isEmpty() ? input.name() : source.metric() : words.getFirst();
    double value = Values.number(alone ? words.getFirst() : words.get(1));
    if (Double.isNaN(value)) {
      return null;
    }
    Map<String, String> labels = new TreeMap<>(input.labels());
    for (var word : words.subList(Math.min(2, words.size()), words.size())) {
      int equals = word.indexOf('=');
      if (equals <= 0) {
        return null;
      }
      if (equals < word.length() - 1) {
        labels.put(word.substring(0, equals), word.substring(equals + 1));
      }
    }
    return Reading.gauge(metric, "", value, labels);
  }

  /** The words of a line without their quotes, or null if one has no end. */
  static List<String> words(String line) {
    var out = new ArrayList<String>();
    var word = new StringBuilder();
    boolean quoted = false;
    boolean some = false;
    for (int i = 0; i < line.length(); i++) {
      char c = line.charAt(i);
      if (quoted && c == '\\' && i + 1 < line.length() && "\"\\".indexOf(line.charAt(i + 1)) >= 0) {
        word.append(line.charAt(++i));
      } else if (c == '"') {
        quoted = !quoted;
        some = true;
      } else if (!quoted && Character.isWhitespace(c)) {
        if (some) {
          out.add(word.toString());
          word.setLength(0);
          some = false;
        }
      } else {
        word.append(c);
        some = true;
      }
    }
    if (some) {
      out.add(word.toString());
    }
    return quoted ? null : out;
  }
}
