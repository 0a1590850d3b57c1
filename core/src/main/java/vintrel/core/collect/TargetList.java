package vintrel.core.collect;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;

/**
 * A file of targets: an address per line, then labels of that target as name=value. Blank lines and
 * lines that begin with # are left out. A faulty line takes nothing from the others.
 *
 * @param faults each with its line
 */
public record TargetList(List<ScrapeJob.Target> targets, List<String> faults) {
  /** Targets of one file. */
  public static final int MAX = 10_000;

  public TargetList {
    targets = List.copyOf(targets);
    faults = List.copyOf(faults);
  }

  public static TargetList parse(String text) {
    var targets = new ArrayList<ScrapeJob.Target>();
    var faults = new ArrayList<String>();
    int number = 0;
    for (var line : text.lines().toList()) {
      number++;
      if (line.isBlank() || line.strip().startsWith("#")) {
        continue;
      }
      if (targets.size() == MAX) {
        faults.add("has more than %,d targets; the rest is not read".formatted(MAX));
        break;
      }
      var words = line.strip().split("\\s+");
      if (!isAddress(words[0])) {
        faults.add("line " + number + ": does not begin with an http or https address");
        continue;
      }
      var labels = new LinkedHashMap<String, String>();
      boolean valid = true;
      for (int i = 1; i < words.length; i++) {
        int equals = words[i].indexOf('=');
        if (equals < 1 || equals == words[i].length() - 1) {
          faults.add("line " + number + ": labels are written name=value");
          valid = false;
          break;
        }
        labels.put(words[i].substring(0, equals), words[i].substring(equals + 1));
      }
      if (valid) {
        targets.add(new ScrapeJob.Target(words[0], "", labels));
      }
    }
    return new TargetList(targets, faults);
  }

  /** True for an http or https address with a host. */
  public static boolean isAddress(String text) {
    return HttpAddress.is(text);
  }
}
