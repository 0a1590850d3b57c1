package vintrel.collector.input;

import com.google.re2j.Matcher;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.DirectoryIteratorException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Properties;
import java.util.TreeMap;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.json.JsonMapper;
import vintrel.collector.Input;
import vintrel.collector.InputException;
import vintrel.collector.Reading;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;

/**
 * Lines that are written to files, as records. Where it stopped is kept on disk, and moves on there
 * only once the records are in the queue: so a restart loses and doubles nothing. A file that is
 * seen for the first time is read from its end.
 *
 * <p>Files are followed by what they are, not by what they are called ({@link TailFile}): one that
 * was renamed or deleted is read to its end, one that was cut after it was copied from where it
 * stopped in the copy, and one that was packed meanwhile from there in the pack.
 */
public final class TailInput implements Input {
  private static final int MAX_READ = 4_000_000;
  private static final int MAX_RECORD = 16_000;

  /** Files that are kept open; of more than these one that is deleted may lose its last lines. */
  private static final int MAX_OPEN = 400;

  /** A record without a following one is complete after this, ms. */
  private static final long PATIENCE_MS = 2_000;

  private final CollectorConfig.Input input;
  private final CollectorConfig.Tail source;
  private final Path state;
  private final Map<String, TailFile> files = new LinkedHashMap<>();
  private final List<Event> events = new ArrayList<>();
  private boolean known;

  /**
   * @param folder where positions are kept
   */
  public TailInput(CollectorConfig.Input input, CollectorConfig.Tail source, Path folder) {
    this.input = input;
    this.source = source;
    this.state = folder.resolve("tail-" + input.name() + ".properties");
  }

  @Override
  public synchronized List<Reading> read() throws InputException {
    try {
      if (!known) {
        load();
      }
      int seen = look();
      if (!known) {
        known = true;
        save(positions());
      }
      return List.of(
          Reading.gauge("collector.tail.files", "", seen, named()),
          Reading.gauge("collector.tail.records", "", events.size(), named()));
    } catch (IOException | DirectoryIteratorException e) {
      throw new InputException("files can't be read: " + e.getMessage());
    }
  }

  /** Reads what is new: first what is not found under its name any more, then what is. */
  private int look() throws IOException {
    long now = System.currentTimeMillis();
    var here = new LinkedHashMap<String, Path>();
    for (var path : paths()) {
      here.put(TailFile.key(path), path);
    }
    for (var key : List.copyOf(files.keySet())) {
      if (!here.containsKey(key)) {
        var gone = files.get(key);
        gone.leave(now);
        read(gone, now);
        if (gone.isOver(now)) {
          gone.close();
          files.remove(key);
        }
      }
    }
    // New ones first, compared with what the others were: one that is cut now was copied before.
    for (var entry : here.entrySet()) {
      if (!files.containsKey(entry.getKey())) {
        files.put(entry.getKey(), appeared(entry.getKey(), entry.getValue()));
      }
    }
    for (var entry : here.entrySet()) {
      var file = files.get(entry.getKey());
      file.at(entry.getValue());
      if (file.isAnew()) {
        var copy = file.wasCopied() ? null : file.copyBeside(files.keySet());
        if (copy != null) {
          // It is read on like a file that was renamed.
          files.put(copy.key(), copy);
          read(copy, now);
        }
        file.begin(0);
      }
      read(file, now);
      if (files.size() > MAX_OPEN) {
        file.close();
      }
    }
    return here.size();
  }

  /** Before the first save, what is there is old; later, a file that appears is new, or a copy. */
  private TailFile appeared(String key, Path path) throws IOException {
    var file = TailFile.of(key, path);
    if (!known) {
      file.begin(Files.size(path));
      return file;
    }
    file.begin(0);
    for (var other : files.values()) {
      if (other.isCopiedIn(path)) {
        file.begin(other.offset());
        other.copied();
        break;
      }
    }
    return file;
  }

  private Map<String, String> positions() {
    var out = new LinkedHashMap<String, String>();
    files.forEach((key, file) -> out.put(key, file.written()));
    return out;
  }

  private Map<String, String> named() {
    return Map.of("input", input.name());
  }

  private void load() throws IOException {
    if (Files.exists(state)) {
      var saved = new Properties();
      try (var in = Files.newBufferedReader(state)) {
        saved.load(in);
      }
      for (var key : saved.stringPropertyNames()) {
        files.put(key, TailFile.read(key, saved.getProperty(key)));
      }
      known = true;
    }
  }

  private void save(Map<String, String> reached) throws IOException {
    var saved = new Properties();
    reached.forEach(saved::setProperty);
    Files.createDirectories(state.getParent());
    var fresh = state.resolveSibling(state.getFileName() + ".new");
    try (var out = Files.newBufferedWriter(fresh)) {
      saved.store(out, null);
    }
    Files.move(fresh, state, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
  }

  private List<Path> paths() throws IOException {
    var out = new ArrayList<Path>();
    for (var text : source.files()) {
      var path = Path.of(text);
      var name = path.getFileName().toString();
      var folder = path.toAbsolutePath().getParent();
      if (!name.contains("*")) {
        if (Files.isRegularFile(path)) {
          out.add(path);
        }
      } else if (Files.isDirectory(folder)) {
        try (var found = Files.newDirectoryStream(folder, name.replace("[", "\\["))) {
          found.forEach(
              p -> {
                if (Files.isRegularFile(p)) {
                  out.add(p);
                }
              });
        }
      }
    }
    return out.stream().distinct().sorted().toList();
  }

  private void read(TailFile file, long now) throws IOException {
    var bytes = file.rest(MAX_READ);
    if (bytes.length == 0) {
      return;
    }
    int end = end(bytes);
    // What nobody will write to any more ends where it ends.
    end = end == 0 && file.isLeft(now) ? bytes.length : end;
    int complete = complete(bytes, end, file, now);
    if (complete > 0) {
      records(new String(bytes, 0, complete, StandardCharsets.UTF_8), file.path(), now);
      file.begin(file.offset() + complete);
    } else {
      file.waits(now);
    }
  }

  /** Up to the last line break, or all of what is too long for a line. */
  private static int end(byte[] bytes) {
    int end = bytes.length;
    while (end > 0 && bytes[end - 1] != '\n') {
      end--;
    }
    return end == 0 && bytes.length >= MAX_READ ? bytes.length : end;
  }

  /** Where records of several lines end: the last one may go on, unless it has had its time. */
  private int complete(byte[] bytes, int end, TailFile file, long now) {
    if (source.starts() == null || end == 0) {
      return end;
    }
    boolean waited = file.since() > 0 && now - file.since() >= PATIENCE_MS;
    if (waited || file.isLeft(now) || end >= MAX_READ) {
      return end;
    }
    var text = new String(bytes, 0, end, StandardCharsets.UTF_8);
    int at = text.length();
    while (at > 0) {
      int begin = text.lastIndexOf('\n', at - 2) + 1;
      if (source.starts().matcher(text.substring(begin, at)).lookingAt()) {
        return text.substring(0, begin).getBytes(StandardCharsets.UTF_8).length;
      }
      at = begin;
    }
    return 0;
  }

  private void records(String text, Path file, long now) {
    StringBuilder record = null;
    for (var line : text.split("\r?\n")) {
      boolean starts = source.starts() == null || source.starts().matcher(line).lookingAt();
      if (starts || record == null) {
        add(record, file, now);
        record = new StringBuilder(line);
      } else if (record.length() < MAX_RECORD) {
        record.append('\n').append(line);
      }
    }
    add(record, file, now);
  }

  private void add(StringBuilder record, Path file, long now) {
    if (record == null || record.toString().isBlank()) {
      return;
    }
    var text =
        record.length() > MAX_RECORD ? record.substring(0, MAX_RECORD) + "…" : record.toString();
    var labels = new TreeMap<>(input.labels());
    labels.putIfAbsent("file", file.getFileName().toString());
    var fields = new LinkedHashMap<String, Object>();
    var said = text;
    if (source.json()) {
      var read = object(text);
      if (read != null) {
        fields.putAll(read);
        said = first(fields, text, "message", "msg", "text");
      }
    } else if (source.pattern() != null) {
      var m = source.pattern().matcher(text);
      if (m.find()) {
        groups(m, fields);
        said = first(fields, text, "text", "message");
      }
    }
    var level = Event.level(0, first(fields, "", "level", "severity"));
    long time = time(first(fields, "", "time", "timestamp", "ts"), now);
    events.add(
        new Event(
            0,
            "",
            time,
            level,
            said,
            Labels.of(labels),
            fields.isEmpty() ? "" : JsonMapper.shared().writeValueAsString(fields)));
  }

  private void groups(Matcher m, Map<String, Object> fields) {
    source
        .pattern()
        .namedGroups()
        .keySet()
        .forEach(
            name -> {
              if (m.group(name) != null) {
                fields.put(name, m.group(name));
              }
            });
  }

  @SuppressWarnings("unchecked")
  private static Map<String, Object> object(String text) {
    try {
      return JsonMapper.shared().readValue(text, Object.class) instanceof Map<?, ?> map
          ? (Map<String, Object>) map
          : null;
    } catch (JacksonException e) {
      return null;
    }
  }

  /** Takes the first field of these names out; what is no text stays. */
  private static String first(Map<String, Object> fields, String otherwise, String... names) {
    for (var name : names) {
      var value = fields.get(name);
      if (value instanceof String || value instanceof Number) {
        fields.remove(name);
        return value.toString();
      }
    }
    return otherwise;
  }

  /** A time as RFC 3339 or seconds or ms of the epoch; else now. */
  private static long time(String text, long now) {
    try {
      if (text.matches("[0-9]{13}")) {
        return Long.parseLong(text);
      }
      if (text.matches("[0-9]{10}(\\.[0-9]+)?")) {
        return (long) (Double.parseDouble(text) * 1000);
      }
      return java.time.OffsetDateTime.parse(text.replace(' ', 'T')).toInstant().toEpochMilli();
    } catch (java.time.format.DateTimeParseException e) {
      return now;
    }
  }

  @Override
  public List<Event> events() {
    var taken = List.copyOf(events);
    events.clear();
    return taken;
  }

  @Override
  public synchronized Runnable confirmation() {
    var reached = positions();
    return () -> confirm(reached);
  }

  private synchronized void confirm(Map<String, String> reached) {
    try {
      save(reached);
    } catch (IOException e) {
      System.err.println("vintrel-collector: can't save file positions: " + e.getMessage());
    }
  }
}
