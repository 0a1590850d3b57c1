package vintrel.core.collect;

import java.util.List;
import java.util.Map;

/**
 * Pages of metrics that are read at an interval. Immutable; any thread.
 *
 * @param targets addresses of pages
 * @param file the name of a watched list of targets, or empty
 * @param resolve addresses whose host stands for several machines: each address that DNS gives for
 *     it is a target, or each host and port if it is the name of a service (RFC 2782)
 * @param every ms between two readings of a target
 * @param timeout ms for one reading
 * @param labels joined to each series' own
 * @param headers of each request; values may be references to secrets
 * @param rewrite what happens to names and labels on the way in
 * @param maxSamples a page with more is rejected whole
 * @param maxBytes a longer page is rejected whole
 * @param paused nothing is read
 */
public record ScrapeJob(
    String name,
    List<String> targets,
    String file,
    List<String> resolve,
    long every,
    long timeout,
    Map<String, String> labels,
    Map<String, String> headers,
    LabelRewrite rewrite,
    int maxSamples,
    int maxBytes,
    boolean paused) {
  public static final int MAX_SAMPLES = 100_000;
  public static final int MAX_BYTES = 16_000_000;

  public ScrapeJob {
    targets = List.copyOf(targets);
    resolve = List.copyOf(resolve);
    labels = Map.copyOf(labels);
    headers = Map.copyOf(headers);
  }

  /**
   * A page that is read.
   *
   * @param url its address
   * @param connectTo the address of the machine if the host stands for several, else empty
   * @param labels of this target
   */
  public record Target(String url, String connectTo, Map<String, String> labels) {
    public Target {
      labels = Map.copyOf(labels);
    }

    public static Target of(String url) {
      return new Target(url, "", Map.of());
    }
  }
}
