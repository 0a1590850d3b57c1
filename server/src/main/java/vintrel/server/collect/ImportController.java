package vintrel.server.collect;

import jakarta.servlet.http.HttpServletRequest;
import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.NoSuchElementException;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import org.springframework.web.multipart.MultipartFile;
import vintrel.core.query.syntax.Printer;
import vintrel.core.series.SeriesKey;
import vintrel.core.unit.Durations;
import vintrel.core.wire.WireException;
import vintrel.server.store.NamedStores;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.Settings;

/** Files of samples in: by the API at once, by the page as a job whose progress is shown. */
@Controller
class ImportController {
  private static final Logger log = LoggerFactory.getLogger(ImportController.class);

  private static final int SHOWN_REASONS = 20;

  private final SampleSinks intakes;
  private final NamedStores stores;
  private final Clock clock;
  private final Path folder;
  private final Map<Long, Job> jobs = new ConcurrentHashMap<>();
  private final AtomicLong ids = new AtomicLong();

  ImportController(SampleSinks intakes, NamedStores stores, Settings settings, Clock clock) {
    this.intakes = intakes;
    this.stores = stores;
    this.clock = clock;
    this.folder = settings.data().resolve("import");
    removeLeftovers();
  }

  /** What imports left that a stop has cut off. */
  private void removeLeftovers() {
    if (!Files.isDirectory(folder)) {
      return;
    }
    try (var files = Files.newDirectoryStream(folder, "import*.part")) {
      for (var file : files) {
        Files.deleteIfExists(file);
      }
    } catch (IOException e) {
      log.warn("files of earlier imports could not be removed: {}", e.toString());
    }
  }

  /** An import on its way; bytes of the file that are read, samples that are kept. */
  private static final class Job {
    final String file;
    final long size;
    final long started = System.nanoTime();
    volatile long read;
    volatile long samples;
    volatile long refused;
    volatile long millis;
    volatile String why = "";
    volatile List<String> reasons = List.of();
    volatile String open = "/bench";
    volatile boolean done;

    Job(String file, long size) {
      this.file = file;
      this.size = size;
    }
  }

  /** A job as the page shows it; percent 0 to 100. */
  public record JobView(
      long id,
      String file,
      int percent,
      String samples,
      String refused,
      String why,
      List<String> reasons,
      int moreReasons,
      String open,
      String speed,
      String state,
      boolean done) {}

  @PostMapping("/api/v1/import")
  @ResponseBody
  Map<String, Object> api(
      @RequestParam(defaultValue = "csv") String format,
      @RequestParam(required = false) String store,
      HttpServletRequest request)
      throws IOException {
    var importer = new Importer(() -> intakes.open(store, Way.IMPORT), n -> {});
    try {
      var outcome = importer.read(request.getInputStream(), format, clock.millis());
      var answer = new LinkedHashMap<String, Object>();
      answer.put("accepted", outcome.accepted());
      answer.put("refused", outcome.refused());
      if (!outcome.why().isEmpty()) {
        answer.put("text", outcome.why());
      }
      return answer;
    } catch (WireException e) {
      throw new IllegalArgumentException(e.getMessage());
    }
  }

  @GetMapping("/collect/import")
  String page(Model model) {
    model.addAttribute("storeNames", stores.all().stream().map(NamedStores.Named::name).toList());
    model.asMap().putIfAbsent("fault", "");
    model.addAttribute("job", null);
    return "collect/import";
  }

  @GetMapping("/collect/import/{id}")
  String progress(@PathVariable long id, HttpServletRequest request, Model model) {
    page(model);
    var job = jobs.get(id);
    if (job == null) {
      return "redirect:/collect/import";
    }
    model.addAttribute("job", view(id, job));
    boolean part = request.getHeader("HX-Request") != null;
    return part ? "collect/import :: progress" : "collect/import";
  }

  private static JobView view(long id, Job j) {
    double seconds = (j.done ? j.millis : (System.nanoTime() - j.started) / 1_000_000) / 1000.0;
    return new JobView(
        id,
        j.file,
        j.done ? 100 : j.size == 0 ? 0 : (int) Math.min(99, 100 * j.read / j.size),
        "%,d".formatted(j.samples),
        "%,d".formatted(j.refused),
        j.why,
        j.reasons.stream().limit(SHOWN_REASONS).toList(),
        Math.max(0, j.reasons.size() - SHOWN_REASONS),
        j.open,
        seconds < 0.05 ? "" : "%,.0f samples per second".formatted(j.samples / seconds),
        !j.done
            ? "Importing…"
            : j.samples == 0
                ? "Nothing was imported."
                : j.refused > 0 ? "Imported in part." : "Imported.",
        j.done);
  }

  @PostMapping("/collect/import")
  String start(
      @RequestParam MultipartFile file,
      @RequestParam String format,
      @RequestParam(defaultValue = SeriesKey.MAIN) String store,
      Model model)
      throws IOException {
    if (file.isEmpty() || stores.get(store) == null) {
      model.addAttribute(
          "fault",
          file.isEmpty()
              ? "choose a file that is not empty"
              : "store not found; choose one from the list");
      return page(model);
    }
    Files.createDirectories(folder);
    long id = ids.incrementAndGet();
    var copy = Files.createTempFile(folder, "import", ".part");
    file.transferTo(copy);
    var job = new Job(file.getOriginalFilename(), Files.size(copy));
    jobs.put(id, job);
    var who = CurrentUser.name();
    Thread.ofVirtual().name("import-" + id).start(() -> run(job, copy, format, store, who));
    return "redirect:/collect/import/" + id;
  }

  private void run(Job job, Path file, String format, String store, String who) {
    var importer =
        new Importer(() -> intakes.to(store, Sender.own(who, Way.IMPORT)), n -> job.samples = n);
    try (var in = counting(Files.newInputStream(file), job)) {
      var outcome = importer.read(in, format, clock.millis());
      job.samples = outcome.accepted();
      job.refused = outcome.refused();
      job.why = importer.reasons().isEmpty() ? outcome.why() : "";
    } catch (IOException | RuntimeException e) {
      log.warn("the import of {} ended early: {}", job.file, e.toString());
      job.why = e.getMessage() == null ? e.toString() : e.getMessage();
    } finally {
      job.reasons =
          importer.reasons().entrySet().stream()
              .map(
                  e ->
                      e.getValue() > 1
                          ? "%,d samples: %s".formatted(e.getValue(), e.getKey())
                          : e.getKey())
              .toList();
      job.open = open(importer, store);
      job.millis = (System.nanoTime() - job.started) / 1_000_000;
      job.done = true;
      try {
        Files.deleteIfExists(file);
      } catch (IOException e) {
        log.warn("{} could not be removed: {}", file, e.toString());
      }
    }
  }

  /** The Bench with what was imported, in its range. */
  private static String open(Importer importer, String store) {
    if (importer.metric().isEmpty() || importer.from() > importer.to()) {
      return "/bench";
    }
    var query =
        Printer.metric(importer.metric())
            + (store.equals(SeriesKey.MAIN) ? "" : " in " + Printer.name(store));
    long margin = Math.max(Durations.MINUTE, (importer.to() - importer.from()) / 20);
    return "/bench?q=%s&from=%d&to=%d"
        .formatted(
            URLEncoder.encode(query, StandardCharsets.UTF_8).replace("+", "%20"),
            importer.from() - margin,
            importer.to() + margin);
  }

  /** All reasons of rejections, one in each line. */
  @GetMapping("/collect/import/{id}/rejected.txt")
  ResponseEntity<String> rejected(@PathVariable long id) {
    var job = jobs.get(id);
    if (job == null) {
      throw new NoSuchElementException("this import is not known any more");
    }
    return ResponseEntity.ok()
        .contentType(new MediaType(MediaType.TEXT_PLAIN, StandardCharsets.UTF_8))
        .header("Content-Disposition", "attachment; filename=\"rejected.txt\"")
        .body(String.join("\n", job.reasons) + "\n");
  }

  private static InputStream counting(InputStream in, Job job) {
    return new FilterInputStream(in) {
      @Override
      public int read(byte[] bytes, int from, int length) throws IOException {
        int n = super.read(bytes, from, length);
        job.read += Math.max(0, n);
        return n;
      }
    };
  }
}
