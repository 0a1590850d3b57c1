package vintrel.collector;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import oshi.SystemInfo;
import oshi.hardware.CentralProcessor;
import oshi.hardware.CentralProcessor.TickType;
import oshi.hardware.HWDiskStore;
import oshi.hardware.HardwareAbstractionLayer;
import oshi.software.os.OperatingSystem;

/**
 * Processors, memory, disks, file systems, network and load of the host. Shares are over the time
 * since the last reading; totals count since the host started. One thread.
 */
public final class HostInput implements Input {
  private final HardwareAbstractionLayer hardware;
  private final OperatingSystem system;
  private long[] ticks;
  private long[][] coreTicks;

  public HostInput() {
    var info = new SystemInfo();
    this.hardware = info.getHardware();
    this.system = info.getOperatingSystem();
    this.ticks = hardware.getProcessor().getSystemCpuLoadTicks();
    this.coreTicks = hardware.getProcessor().getProcessorCpuLoadTicks();
  }

  @Override
  public List<Reading> read() {
    var out = new ArrayList<Reading>();
    processors(hardware.getProcessor(), out);
    memory(out);
    disks(out);
    network(out);
    out.add(gauge("host.processes", "{process}", system.getProcessCount(), Map.of()));
    out.add(gauge("host.threads", "{thread}", system.getThreadCount(), Map.of()));
    out.add(gauge("host.uptime", "s", system.getSystemUptime(), Map.of()));
    double celsius = hardware.getSensors().getCpuTemperature();
    if (celsius > 0) {
      out.add(gauge("host.temperature", "Cel", celsius, Map.of("sensor", "cpu")));
    }
    return out;
  }

  private void processors(CentralProcessor processor, List<Reading> out) {
    var now = processor.getSystemCpuLoadTicks();
    long total = 0;
    for (int i = 0; i < now.length; i++) {
      total += Math.max(0, now[i] - ticks[i]);
    }
    if (total > 0) {
      for (var type : TickType.values()) {
        int i = type.getIndex();
        double share = 100.0 * Math.max(0, now[i] - ticks[i]) / total;
        if (type == TickType.IDLE) {
          out.add(gauge("host.cpu.busy", "%", 100 - share, Map.of()));
        }
        var mode = type.name().toLowerCase(Locale.ROOT);
        out.add(gauge("host.cpu.mode", "%", share, Map.of("mode", mode)));
      }
    }
    ticks = now;
    var cores = processor.getProcessorCpuLoadBetweenTicks(coreTicks);
    coreTicks = processor.getProcessorCpuLoadTicks();
    for (int i = 0; i < cores.length; i++) {
      out.add(gauge("host.core.busy", "%", 100 * cores[i], Map.of("core", "" + i)));
    }
    var loads = processor.getSystemLoadAverage(3);
    var minutes = List.of("1", "5", "15");
    for (int i = 0; i < loads.length; i++) {
      if (loads[i] >= 0) {
        out.add(gauge("host.load", "1", loads[i], Map.of("minutes", minutes.get(i))));
      }
    }
  }

  private void memory(List<Reading> out) {
    var memory = hardware.getMemory();
    double used = memory.getTotal() - memory.getAvailable();
    out.add(gauge("host.memory.used", "By", used, Map.of()));
    out.add(gauge("host.memory.total", "By", memory.getTotal(), Map.of()));
    out.add(gauge("host.memory.share", "%", 100 * used / memory.getTotal(), Map.of()));
    var swap = memory.getVirtualMemory();
    if (swap.getSwapTotal() > 0) {
      out.add(gauge("host.swap.used", "By", swap.getSwapUsed(), Map.of()));
    }
  }

  private void disks(List<Reading> out) {
    for (var store : system.getFileSystem().getFileStores(true)) {
      double total = store.getTotalSpace();
      if (total > 0) {
        var labels = Map.of("mount", store.getMount());
        double full = 100 * (total - store.getUsableSpace()) / total;
        out.add(gauge("host.disk.used", "%", full, labels));
        out.add(gauge("host.disk.free", "By", store.getUsableSpace(), labels));
      }
    }
    for (HWDiskStore disk : hardware.getDiskStores()) {
      var name = disk.getName();
      var labels = Map.of("disk", name.substring(name.lastIndexOf('/') + 1));
      out.add(new Reading("host.disk.read", true, "By", disk.getReadBytes(), labels));
      out.add(new Reading("host.disk.written", true, "By", disk.getWriteBytes(), labels));
    }
  }

  private void network(List<Reading> out) {
    for (var net : hardware.getNetworkIFs()) {
      var labels = Map.of("interface", net.getName());
      out.add(new Reading("host.net.received", true, "By", net.getBytesRecv(), labels));
      out.add(new Reading("host.net.sent", true, "By", net.getBytesSent(), labels));
    }
  }

  private static Reading gauge(
      String metric, String unit, double value, Map<String, String> labels) {
    return new Reading(metric, false, unit, value, labels);
  }
}
