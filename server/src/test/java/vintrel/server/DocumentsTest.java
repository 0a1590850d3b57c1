package vintrel.server;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.HashSet;
import java.util.Set;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

/** What the documents name exists. */
class DocumentsTest {
  private static final Path ROOT = Path.of("").toAbsolutePath().getParent();
  private static final Pattern NAME = Pattern.compile("`([A-Z][A-Za-z]+)(\\.[a-z]\\w*)?`");

  private static Set<String> classes() throws IOException {
    var out = new HashSet<String>();
    for (var module : new String[] {"core", "server", "collector", "demo", "bench"}) {
      try (var files = Files.walk(ROOT.resolve(module).resolve("src/main/java"))) {
        files
            .map(f -> f.getFileName().toString())
            .filter(f -> f.endsWith(".java"))
            .forEach(f -> out.add(f.substring(0, f.length() - 5)));
      }
    }
    return out;
  }

  @Test
  void everyClassThatTheArchitectureNamesExists() throws IOException {
    var classes = classes();
    var text = Files.readString(ROOT.resolve("ARCHITECTURE.md"));
    var found = NAME.matcher(text);
    int count = 0;
    while (found.find()) {
      assertThat(classes).as(found.group()).contains(found.group(1));
      count++;
    }
    assertThat(count).isGreaterThan(60);
    assertThat(ROOT.resolve("demo/src/main/resources/definitions/rules.yaml")).exists();
  }
}
