package vintrel.collector;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import oshi.SystemInfo;

/** Processor, memory, file systems and network of the host, under the demo's metric names. */
final class HostInput implements Input {
  private final SystemInfo system = new SystemInfo();
  private long[] ticks = system.getHardware().getProcessor().getSystemCpuLoadTicks();

  @Override
  public List<Reading> read() {
    var out = new ArrayList<Reading>();
    var hardware = system.getHardware();
    var processor = hardware.getProcessor();
    double busy = processor.getSystemCpuLoadBetweenTicks(ticks) * 100;
    ticks = processor.getSystemCpuLoadTicks();
    out.add(new Reading("host.cpu.busy", false, "%", busy, Map.of()));
    double load = processor.getSystemLoadAverage(1)[0];
    if (load >= 0) {
      out.add(new Reading("host.load", false, "", load, Map.of()));
    }
    var memory = hardware.getMemory();
    double used = memory.getTotal() - memory.getAvailable();
    out.add(new Reading("host.memory.used", false, "By", used, Map.of()));
    double processes = system.getOperatingSystem().getProcessCount();
    out.add(new Reading("host.processes", false, "{process}", processes, Map.of()));
    for (var store : system.getOperatingSystem().getFileSystem().getFileStores(true)) {
      if (store.getTotalSpace() > 0) {
        double full =
            100.0 * (store.getTotalSpace() - store.getUsableSpace()) / store.getTotalSpace();
        out.add(new Reading("host.disk.used", false, "%", full, Map.of("mount", store.getMount())));
      }
    }
    for (var net : hardware.getNetworkIFs()) {
      var labels = Map.of("interface", net.getName());
      out.add(new Reading("host.net.received", true, "By", net.getBytesRecv(), labels));
      out.add(new Reading("host.net.sent", true, "By", net.getBytesSent(), labels));
    }
    return out;
  }
}
