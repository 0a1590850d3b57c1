package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayOutputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.net.DatagramPacket;
import java.net.DatagramSocket;
import java.net.InetAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import vintrel.core.collect.LabelRewrite;
import vintrel.core.collect.ScrapeJob;
import vintrel.server.web.Guards;

class ScrapeTargetsTest {
  @TempDir Path folder;

  private static ScrapeJob job(List<String> targets, String file, List<String> resolve) {
    return new ScrapeJob(
        "gates",
        targets,
        file,
        resolve,
        10_000,
        5_000,
        Map.of(),
        Map.of(),
        LabelRewrite.NONE,
        1_000,
        1_000_000,
        false);
  }

  @Test
  void targetsComeFromAllThreeAndOnlyOnce() throws IOException {
    Files.writeString(
        folder.resolve("gates.txt"), "http://gate-1/metrics\nhttp://gate-2/metrics berth=2\n");
    var found =
        new ScrapeTargets(folder, Guards.open(), "")
            .of(
                job(
                    List.of("http://gate-1/metrics"),
                    "gates.txt",
                    List.of("http://127.0.0.1:9000/metrics")));
    assertThat(found.faults()).isEmpty();
    assertThat(found.targets())
        .extracting(t -> t.url() + " " + t.connectTo() + " " + t.labels())
        .containsExactly(
            "http://gate-1/metrics  {}",
            "http://gate-2/metrics  {berth=2}",
            "http://127.0.0.1:9000/metrics 127.0.0.1 {}");
  }

  @Test
  void aFileThatIsMissingOrOutsideIsAFaultBesideTheOthers() throws IOException {
    Files.writeString(folder.resolveSibling("secret.txt"), "http://secret/\n");
    Files.createSymbolicLink(folder.resolve("link.txt"), folder.resolveSibling("secret.txt"));
    var targets = new ScrapeTargets(folder, Guards.open(), "");
    for (var name : List.of("gone.txt", "../secret.txt", "link.txt")) {
      var found = targets.of(job(List.of("http://gate-1/metrics"), name, List.of()));
      assertThat(found.targets()).as(name).hasSize(1);
      assertThat(found.faults()).as(name).hasSize(1);
    }
  }

  @Test
  void aServiceHasTheHostsAndPortsThatDnsGives() throws IOException {
    try (var dns = new DatagramSocket(0, InetAddress.getLoopbackAddress())) {
      Thread.ofVirtual().start(() -> answer(dns));
      var found =
          new ScrapeTargets(folder, Guards.open(), "dns://127.0.0.1:" + dns.getLocalPort())
              .of(job(List.of(), "", List.of("http://_metrics._tcp.marrowsound.example/all")));
      assertThat(found.targets())
          .extracting(ScrapeJob.Target::url)
          .containsExactly(
              "http://gate-1.marrowsound.example:9000/all",
              "http://gate-2.marrowsound.example:9001/all");
    }
  }

  /** Answers every question with two SRV records: RFC 1035, RFC 2782. */
  private static void answer(DatagramSocket dns) {
    try {
      while (true) {
        var packet = new DatagramPacket(new byte[512], 512);
        dns.receive(packet);
        var question = packet.getData();
        int end = 12;
        while (question[end] != 0) {
          end += question[end] + 1;
        }
        end += 5;
        var bytes = new ByteArrayOutputStream();
        var out = new DataOutputStream(bytes);
        out.write(question, 0, 2);
        out.writeShort(0x8180);
        out.writeShort(1);
        out.writeShort(2);
        out.writeInt(0);
        out.write(question, 12, end - 12);
        for (int i = 1; i <= 2; i++) {
          out.writeShort(0xc00c);
          out.writeShort(33);
          out.writeShort(1);
          out.writeInt(60);
          var target = name("gate-" + i + ".marrowsound.example");
          out.writeShort(6 + target.length);
          out.writeShort(10);
          out.writeShort(5);
          out.writeShort(8999 + i);
          out.write(target);
        }
        dns.send(new DatagramPacket(bytes.toByteArray(), bytes.size(), packet.getSocketAddress()));
      }
    } catch (IOException e) {
      // The test is over.
    }
  }

  private static byte[] name(String text) {
    var out = new ByteArrayOutputStream();
    for (var part : text.split("\\.")) {
      out.write(part.length());
      out.writeBytes(part.getBytes(StandardCharsets.US_ASCII));
    }
    out.write(0);
    return out.toByteArray();
  }
}
