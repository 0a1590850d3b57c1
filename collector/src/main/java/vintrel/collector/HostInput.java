package vintrel.collector;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import oshi.SystemInfo;
import oshi.hardware.CentralProcessor;
import oshi.hardware.CentralProcessor.TickType;
import oshi.hardware.HWDiskStore;
import oshi.hardware.HardwareAbstractionLayer;
import oshi.software.os.OSProcess;
import oshi.software.os.OperatingSystem;
import vintrel.core.collect.CollectorConfig;

/**
 * Processors, memory, disks, file systems, network and load of the host. Shares are over the time
 * since the last reading; totals count since the host started. One thread.
 */
public final class HostInput implements Input {
  private final HardwareAbstractionLayer hardware;
  private final OperatingSystem system;
  private final List<String> parts;
  private final List<String> programs;
  private long[] ticks;
  private long[][] coreTicks;
  private Map<Integer, OSProcess> before = Map.of();

  public HostInput() {
    this(List.of(), List.of());
  }

  /**
   * @param parts of {@link CollectorConfig.Host#PARTS}; empty: all
   * @param programs whose processes are counted and measured
   */
  public HostInput(List<String> parts, List<String> programs) {
    this.parts = parts;
    this.programs = programs;
    var info = new SystemInfo();
    this.hardware = info.getHardware();
    this.system = info.getOperatingSystem();
    this.ticks = hardware.getProcessor().getSystemCpuLoadTicks();
    this.coreTicks = hardware.getProcessor().getProcessorCpuLoadTicks();
  }

  @Override
  public List<Reading> read() {
    var out = new ArrayList<Reading>();
    if (has("cpu")) {
      processors(hardware.getProcessor(), out);
    }
    if (has("memory")) {
      memory(out);
    }
    if (has("disks")) {
      disks(out);
    }
    if (has("network")) {
      network(out);
    }
    if (has("system")) {
      system(out);
    }
    if (!programs.isEmpty()) {
      processes(out);
    }
    return out;
  }

  private boolean has(String part) {
    return parts.isEmpty() || parts.contains(part);
  }

  private void system(List<Reading> out) {
    out.add(gauge("host.processes", "{process}", system.getProcessCount(), Map.of()));
    out.add(gauge("host.threads", "{thread}", system.getThreadCount(), Map.of()));
    out.add(gauge("host.uptime", "s", system.getSystemUptime(), Map.of()));
    double celsius = hardware.getSensors().getCpuTemperature();
    if (celsius > 0) {
      out.add(gauge("host.temperature", "Cel", celsius, Map.of("sensor", "cpu")));
    }
  }

  /** Programs by the name of their file: how many processes, their memory and processor time. */
  private void processes(List<Reading> out) {
    var now = new HashMap<Integer, OSProcess>();
    var counts = new TreeMap<String, double[]>();
    programs.forEach(p -> counts.put(p, new double[4]));
    for (var process : system.getProcesses()) {
      var sums = counts.get(process.getName());
      if (sums != null) {
        now.put(process.getProcessID(), process);
        sums[0]++;
        sums[1] += process.getResidentMemory();
        sums[2] += 100 * process.getProcessCpuLoadBetweenTicks(before.get(process.getProcessID()));
        sums[3] += process.getOpenFiles() > 0 ? process.getOpenFiles() : 0;
      }
    }
    before = now;
    counts.forEach(
        (program, sums) -> {
          var labels = Map.of("process", program);
          out.add(gauge("host.process.count", "{process}", sums[0], labels));
          out.add(gauge("host.process.memory", "By", sums[1], labels));
          out.add(gauge("host.process.cpu", "%", sums[2], labels));
          out.add(gauge("host.process.open_files", "{file}", sums[3], labels));
        });
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
      out.add(Reading.counter("host.disk.read", "By", disk.getReadBytes(), labels));
      out.add(Reading.counter("host.disk.written", "By", disk.getWriteBytes(), labels));
    }
  }

  private void network(List<Reading> out) {
    for (var net : hardware.getNetworkIFs()) {
      var labels = Map.of("interface", net.getName());
      out.add(Reading.counter("host.net.received", "By", net.getBytesRecv(), labels));
      out.add(Reading.counter("host.net.sent", "By", net.getBytesSent(), labels));
    }
  }

  private static Reading gauge(
      String metric, String unit, double value, Map<String, String> labels) {
    return Reading.gauge(metric, unit, value, labels);
  }
}
