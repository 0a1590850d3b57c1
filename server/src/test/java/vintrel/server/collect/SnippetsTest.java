package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;

import java.io.IOException;
import java.net.URI;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.Pages;
import vintrel.server.RunningServer;

/** What pages and documents tell people to run, run as it stands. */
class SnippetsTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static String run(String script) throws IOException, InterruptedException {
    var process = new ProcessBuilder("bash", "-c", "set -eu\n" + script).redirectErrorStream(true);
    process.environment().put("VINTREL_TOKEN", RunningServer.TOKEN);
    process.environment().keySet().removeIf(k -> k.startsWith("OTEL_"));
    var running = process.start();
    var out = new String(running.getInputStream().readAllBytes());
    assertThat(running.waitFor(120, TimeUnit.SECONDS)).isTrue();
    assertThat(running.exitValue()).as(out).isZero();
    return out;
  }

  /** The snippets of the page, by their id. */
  private static String page(String way, String id) throws IOException {
    var at = URI.create(server.base());
    var html =
        new Pages(server, "ADMIN")
            .send(
                get("/collect/connect?way=" + way)
                    .with(
                        r -> {
                          r.setServerName(at.getHost());
                          r.setServerPort(at.getPort());
                          return r;
                        }))
            .getContentAsString();
    var m = Pattern.compile("(?s)<pre[^>]* id=\"" + id + "\"[^>]*>(.*?)</pre>").matcher(html);
    assertThat(m.find()).as(html).isTrue();
    return m.group(1)
        .replace("export VINTREL_TOKEN=&#39;the token of step 2&#39;", "")
        .replace("./start-it", "")
        .replace("&#39;", "'")
        .replace("&quot;", "\"")
        .replace("&lt;", "<")
        .replace("&gt;", ">")
        .replace("&amp;", "&");
  }

  /** The blocks of a document, with this server's address in them. */
  private static List<String> blocks(String document) throws IOException {
    var text = Files.readString(Path.of("..", document));
    var out = new ArrayList<String>();
    var m = Pattern.compile("(?s)```\n(.*?)```").matcher(text);
    while (m.find()) {
      out.add(m.group(1).replace("http://localhost:8420", server.base()));
    }
    return out;
  }

  private static String sdk() {
    return "exec '%s/bin/java' -cp '%s' vintrel.server.collect.SdkApplication"
        .formatted(System.getProperty("java.home"), System.getProperty("java.class.path"));
  }

  private static String latest(String query) {
    return server.found(query, "-5m", "now");
  }

  @Test
  void anApplicationIsSetUpByTheEnvironmentThatThePageShows() throws Exception {
    assertThat(run("set -a\n" + page("application", "send-otlp") + "\nset +a\n" + sdk()))
        .doesNotContain("WARN");
    var scans = latest("snippet.scans then increase every 1h then sum by scope, gate");
    assertThat(scans).contains("\"scope\":\"boarding\"", "\"scope\":\"tickets\"");
    assertThat(latest("snippet.wait.max")).contains("120.0");
  }

  @Test
  void plainSamplesAndOneRequestOfOtlpRunAsTheyStand() throws Exception {
    for (var id : List.of("send-lines", "send-csv")) {
      assertThat(run(page("application", id))).as(id).contains("\"accepted\":2", "\"refused\":0");
    }
    assertThat(latest("berth.queue.length then sum by berth")).contains("N2", "N3");
    assertThat(run(page("application", "send-page"))).contains("\"accepted\":2");
    assertThat(latest("berth_queue_length where berth = 'N2'")).contains("4.0");
    assertThat(run(page("application", "json-request"))).contains("{");
    assertThat(latest("berth.queue.length where service = 'berth-planner'")).contains("4.0");
  }

  @Test
  void soIsOneOfJavaScript() throws Exception {
    run("cd src/test/js; [ -d node_modules ] || npm ci --ignore-scripts --no-audit --no-fund");
    run(
        "set -a\n"
            + page("application", "send-otlp")
            + "\nset +a\ncd src/test/js; exec node app.mjs");
    assertThat(latest("snippet.js.scans then increase every 1h")).contains("\"gate\":\"north-1\"");
  }

  @Test
  void theDocumentsBlocksRunAsTheyStand() throws Exception {
    var blocks = blocks("docs/sending.md");
    assertThat(blocks).hasSize(3);
    run("set -a\n" + blocks.getFirst() + "\nset +a\n" + sdk());
    assertThat(latest("snippet.wait.count then increase every 1h"))
        .contains("unknown_service:java");
    run(blocks.get(1));
    assertThat(latest("backup.age")).contains("mi-db-1", "3600.0");
    assertThat(run(blocks.get(2))).contains("gates");
    var readme = blocks("README.md").stream().filter(b -> b.contains("curl ")).toList();
    assertThat(readme).hasSize(1);
    run(readme.getFirst());
  }

  /** Every document and heading that a page or a document links to. */
  @Test
  void everyDocumentThatIsLinkedIsServed() throws Exception {
    var links = new java.util.TreeSet<String>();
    for (var folder : List.of("src/main/resources/templates", "../docs")) {
      try (var files = Files.walk(Path.of(folder), 2)) {
        for (var file : files.filter(f -> f.toString().matches(".*\\.(html|md)")).toList()) {
          Pattern.compile("[\"(](/docs/[a-z-]+(#[a-z-]+)?)[\")]")
              .matcher(Files.readString(file))
              .results()
              .forEach(m -> links.add(m.group(1)));
        }
      }
    }
    assertThat(links).contains("/docs/instrumenting", "/docs/collector");
    links.add("/docs/security");
    // And what they lead to, as they are shown.
    for (var link : java.util.Set.copyOf(links)) {
      var shown = new Pages(server, "VIEWER").send(get(link.split("#")[0])).getContentAsString();
      assertThat(shown).as(link).doesNotContain(".md\"", "localhost:8420");
      Pattern.compile("href=\"(/(docs|api)/[^\"]+)\"")
          .matcher(shown)
          .results()
          .forEach(m -> links.add(m.group(1)));
    }
    assertThat(links).contains("/docs/definitions");
    for (var link : links) {
      var parts = link.split("#");
      var answer = new Pages(server, "VIEWER").send(get(parts[0]));
      assertThat(answer.getStatus()).as(link).isEqualTo(200);
      if (parts.length > 1) {
        assertThat(answer.getContentAsString()).as(link).contains("id=\"" + parts[1] + "\"");
      }
    }
  }

  @Test
  void theOtherCommandsOfThePageRunAsTheyStand() throws Exception {
    run(page("value", "send-value"));
    assertThat(latest("backup.age where host = 'mi-db-1'")).contains("3600.0");
    assertThat(run(page("endpoint", "send-job"))).contains("gates");
    assertThat(run(page("events", "send-events"))).isNotNull();
    assertThat(latest("events where service = 'boarding-gates'")).contains("refused at north-2");
  }
}
