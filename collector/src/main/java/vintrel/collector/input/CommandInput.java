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
      if (process.exitValue() == 0) {
        switch (source.format()) {
          case EXIT -> {
            // The code is all.
          }
          case NUMBERS -> numbers(text, out);
          case JSON -> out.addAll(Values.json(text, source.values(), input.labels(), 0));
        }
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

  /** Lines of NAME VALUE [LABEL=TEXT …], or of a value alone. */
  private void numbers(String text, List<Reading> out) {
    for (var line : text.lines().map(String::strip).filter(l -> !l.isEmpty()).toList()) {
      var words = line.split("\\s+");
      boolean alone = words.length == 1;
      var metric = alone ? source.metric().isEmpty() ? input.name() : source.metric() : words[0];
      double value = Values.number(alone ? words[0] : words[1]);
      if (Double.isNaN(value)) {
        continue;
      }
      Map<String, String> labels = new TreeMap<>(input.labels());
      for (int i = 2; i < words.length; i++) {
        int equals = words[i].indexOf('=');
        if (equals > 0 && equals < words[i].length() - 1) {
          labels.put(words[i].substring(0, equals), words[i].substring(equals + 1));
        }
      }
      out.add(Reading.gauge(metric, "", value, labels));
    }
  }
}
