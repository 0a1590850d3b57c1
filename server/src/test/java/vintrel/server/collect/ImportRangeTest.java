package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.RunningServer;

class ImportRangeTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static Importer read(String csv) throws Exception {
    var sinks = server.bean(SampleSinks.class);
    var importer = new Importer(() -> sinks.to("main", Sender.own("kim", Way.IMPORT)), n -> {});
    var bytes = csv.getBytes(StandardCharsets.UTF_8);
    importer.read(new ByteArrayInputStream(bytes), "csv", System.currentTimeMillis());
    return importer;
  }

  /** Series are named once by the reader, and their rows come in any order. */
  @Test
  void theRangeIsThatOfTheFirstMetricHoweverRowsAlternate() throws Exception {
    long now = System.currentTimeMillis() - 600_000;
    var csv = new StringBuilder("metric,time,value,host\n");
    for (int i = 0; i < 10; i++) {
      csv.append("im.a,").append(now + i).append(",1,x\n");
      csv.append("im.a,").append(now + 500 + i).append(",1,y\n");
      csv.append("im.b,").append(now - 900_000 + i).append(",1,x\n");
    }
    csv.append("im.a,1790000000900,oops,x\nim.a,1790000000901,none,y\n");
    var found = read(csv.toString());
    assertThat(found.metric()).isEqualTo("im.a");
    assertThat(found.from()).isEqualTo(now);
    assertThat(found.to()).isEqualTo(now + 509);
    assertThat(found.reasons().keySet())
        .hasSize(2)
        .allMatch(r -> r.matches("row 3[23]: value must be a number.*"));
  }

  @Test
  void whatHasNoSamplesHasNoRange() throws Exception {
    var found = read("metric,time,value\nim.c,1790000000000,oops\n");
    assertThat(found.from()).isGreaterThan(found.to());
  }
}
