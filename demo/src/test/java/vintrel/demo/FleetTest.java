package vintrel.demo;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import org.junit.jupiter.api.Test;

class FleetTest {
  private static final long END = 1_795_000_000_000L / 60_000 * 60_000;
  private final Fleet fleet = new Fleet(1, END);

  private static Signal find(Fleet fleet, String metric, String label, String value) {
    return java.util.stream.Stream.concat(fleet.signals().stream(), fleet.fine().stream())
        .filter(s -> s.metric.equals(metric) && value.equals(s.labels.get(label)))
        .findFirst()
        .orElseThrow();
  }

  @Test
  void theSameSeedGivesTheSameWeek() {
    var a = new Fleet(7, END).signals();
    var b = new Fleet(7, END).signals();
    for (int i = 0; i < a.size(); i++) {
      for (long t = END - Fleet.HOUR; t < END; t += 60_000) {
        assertThat(a.get(i).next(t, 60)).isEqualTo(b.get(i).next(t, 60));
      }
    }
  }

  @Test
  void aHostThatIsMadeBusyPassesItsLimitAndOnlyIt() {
    fleet.busy("nq-app-1", END + 60_000);
    assertThat(find(fleet, "host.cpu.busy", "host", "nq-app-1").next(END, 10)).isGreaterThan(90);
    assertThat(find(fleet, "host.cpu.busy", "host", "nq-app-2").next(END, 10)).isLessThan(90);
    assertThat(find(fleet, "host.cpu.busy", "host", "nq-app-1").next(END + 61_000, 10))
        .isLessThan(90);
  }

  @Test
  void theStoriesAreThere() {
    assertThat(find(fleet, "host.disk.used", "host", "sr-db-1").next(END, 60))
        .isBetween(91.0, 94.0);
    assertThat(find(fleet, "host.disk.used", "host", "sr-db-1").next(END - 6 * Fleet.DAY, 60))
        .isLessThan(75);
    var memory = find(fleet, "process.memory", "instance", "tickets-mi-app-2");
    assertThat(memory.next(END, 60)).isGreaterThan(memory.next(END - 3 * Fleet.DAY, 60) * 2);
    var payment = find(fleet, "payments.duration", "site", "mid-isles");
    assertThat(payment.next(END - 100 * Fleet.MINUTE + 10_000, 10)).isGreaterThan(6);
    assertThat(payment.next(END - 100 * Fleet.MINUTE + 40_000, 10)).isLessThan(1);
  }

  /**
   * Over the link of mid-isles nothing arrives for twelve minutes, then all of it; none is lost.
   */
  @Test
  void whatArrivedBeforeHasTheGapOfTheLinkAndLosesNothing() {
    var past = new ArrivalHistory(fleet, new Records(1));
    long from = END / Fleet.DAY * Fleet.DAY;
    var growth = new java.util.HashMap<String, List<Double>>();
    var before = new java.util.HashMap<String, Double>();
    for (var line : past.account(from, from + Fleet.DAY).lines().skip(1).toList()) {
      var f = line.split(",");
      var id = f[4] + " " + f[6];
      double total = Double.parseDouble(f[3]);
      growth
          .computeIfAbsent(id, k -> new java.util.ArrayList<>())
          .add(total - before.getOrDefault(id, 0.0));
      before.put(id, total);
    }
    assertThat(growth).hasSizeGreaterThan(10);
    var far = growth.get("mid-isles-hosts collector");
    assertThat(far).hasSize(24 * 60);
    double usual = far.getFirst();
    assertThat(far.stream().filter(v -> v == 0)).hasSize(12);
    assertThat(far.stream().filter(v -> v == 13 * usual)).hasSize(1);
    assertThat(before.get("mid-isles-hosts collector")).isEqualTo(24 * 60 * usual);
    assertThat(growth.get("fleet-hosts collector")).allMatch(v -> v > 0);
    var scrapes = past.scrapes("x", from, from + Fleet.DAY);
    assertThat(scrapes.lines().filter(l -> l.endsWith("mid-isles"))).hasSize(24 * 360 - 72);
  }

  @Test
  void countersNeverFallButForARestart() {
    var counter = find(fleet, "http.requests", "instance", "booking-nq-app-1");
    double before = 0;
    for (long t = END; t < END + Fleet.DAY; t += 60_000) {
      double now = counter.next(t, 60);
      assertThat(now).isGreaterThanOrEqualTo(before);
      before = now;
    }
    fleet.restart("booking-nq-app-1", END);
    assertThat(counter.next(END, 60)).isLessThan(before);
  }

  @Test
  void histogramBucketsRiseWithTheirBound() {
    double last = 0;
    for (var le : List.of("0.01", "0.05", "0.25", "1", "+Inf")) {
      double v = find(fleet, "http.latency.bucket", "le", le).next(END, 3600);
      assertThat(v).isGreaterThanOrEqualTo(last);
      last = v;
    }
  }

  @Test
  void aRequestIsNotLostInTheWriter() {
    var writer = new OtlpWriter();
    fleet.signals().forEach(s -> writer.add(s, END, 1));
    assertThat(writer.points()).isEqualTo(fleet.signals().size());
    assertThat(writer.take()).hasSizeGreaterThan(fleet.signals().size() * 30);
    assertThat(writer.points()).isZero();
  }
}
