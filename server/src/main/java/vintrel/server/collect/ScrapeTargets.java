package vintrel.server.collect;

import java.io.IOException;
import java.net.InetAddress;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Hashtable;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import javax.naming.Context;
import javax.naming.NamingException;
import javax.naming.directory.InitialDirContext;
import org.springframework.beans.factory.annotation.Autowired;
import org.springframework.stereotype.Component;
import vintrel.core.collect.ScrapeJob;
import vintrel.core.collect.ScrapeJob.Target;
import vintrel.core.collect.TargetList;
import vintrel.server.web.OutboundGuard;
import vintrel.server.web.Settings;

/**
 * The targets that a job has now: those it names, those of its file, and those that DNS gives.
 * Files lie in the folder {@code targets} of the data directory, so that a definition can't read
 * any other. Any thread.
 */
@Component
class ScrapeTargets {
  private static final int MAX_FILE = 2_000_000;

  private final Path folder;
  private final OutboundGuard guard;
  private final String nameServer;

  @Autowired
  ScrapeTargets(Settings settings, OutboundGuard guard) {
    this(settings.data().resolve("targets"), guard, "");
  }

  /**
   * @param nameServer as a URL such as dns://127.0.0.1:53, or empty for the machine's own
   */
  ScrapeTargets(Path folder, OutboundGuard guard, String nameServer) {
    this.folder = folder;
    this.guard = guard;
    this.nameServer = nameServer;
  }

  /**
   * The targets and what could not be read.
   *
   * @param faults in words; targets beside them are there
   */
  record Found(List<Target> targets, List<String> faults) {}

  Found of(ScrapeJob job) {
    // A page is read once, however often it is named.
    var targets = new LinkedHashMap<String, Target>();
    var faults = new ArrayList<String>();
    job.targets().forEach(t -> put(targets, Target.of(t)));
    if (!job.file().isEmpty()) {
      file(job.file(), targets, faults);
    }
    for (var address : job.resolve()) {
      try {
        resolve(address).forEach(t -> put(targets, t));
      } catch (IllegalArgumentException | NamingException e) {
        faults.add(OutboundGuard.shown(address) + ": " + words(e));
      }
    }
    return new Found(List.copyOf(targets.values()), faults);
  }

  private static String words(Exception e) {
    return e instanceof NamingException ? "no SRV record found" : e.getMessage();
  }

  private static void put(Map<String, Target> targets, Target target) {
    targets.putIfAbsent(target.url() + " " + target.connectTo(), target);
  }

  private void file(String name, Map<String, Target> targets, List<String> faults) {
    var file = folder.resolve(name).normalize();
    try {
      // Neither by its name nor by a link.
      if (!file.toRealPath().getParent().equals(folder.toRealPath())) {
        faults.add("the file " + name + " is not in the server's folder targets");
        return;
      }
      if (Files.size(file) > MAX_FILE) {
        faults.add("the file %s is longer than %,d bytes".formatted(name, MAX_FILE));
        return;
      }
      var list = TargetList.parse(Files.readString(file, StandardCharsets.UTF_8));
      list.targets().forEach(t -> put(targets, t));
      list.faults().forEach(f -> faults.add(name + ", " + f));
    } catch (java.nio.file.NoSuchFileException e) {
      faults.add("no file named " + name + " in the server's folder targets");
    } catch (IOException e) {
      faults.add("the file " + name + " can't be read: " + e.getClass().getSimpleName());
    }
  }

  private List<Target> resolve(String address) throws NamingException {
    int from = address.indexOf("://") + 3;
    var rest = address.substring(from);
    var host = rest.split("[:/]", 2)[0];
    if (host.startsWith("_")) {
      return services(address.substring(0, from), host, rest.substring(host.length()));
    }
    var uri = URI.create(address);
    return Arrays.stream(guard.resolve(uri.getHost()))
        .map(InetAddress::getHostAddress)
        .sorted()
        .map(ip -> new Target(address, ip, Map.of()))
        .toList();
  }

  /** Host and port of each machine of a service: RFC 2782. */
  private List<Target> services(String scheme, String name, String path) throws NamingException {
    var environment = new Hashtable<String, String>();
    environment.put(Context.INITIAL_CONTEXT_FACTORY, "com.sun.jndi.dns.DnsContextFactory");
    environment.put("com.sun.jndi.dns.timeout.initial", "1000");
    environment.put("com.sun.jndi.dns.timeout.retries", "2");
    if (!nameServer.isEmpty()) {
      environment.put(Context.PROVIDER_URL, nameServer);
    }
    var context = new InitialDirContext(environment);
    try {
      var found = context.getAttributes(name, new String[] {"SRV"}).get("SRV");
      var out = new ArrayList<Target>();
      for (int i = 0; found != null && i < found.size(); i++) {
        // Priority, weight, port, target.
        var parts = found.get(i).toString().split("\\s+");
        if (parts.length == 4 && !parts[3].equals(".")) {
          out.add(Target.of(scheme + parts[3].replaceAll("\\.$", "") + ":" + parts[2] + path));
        }
      }
      out.sort(java.util.Comparator.comparing(Target::url));
      return out;
    } finally {
      context.close();
    }
  }
}
