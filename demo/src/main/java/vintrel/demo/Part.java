package vintrel.demo;

/** A part of the fleet that sends with a token of its own. */
enum Part {
  APPS("fleet-apps", "berth-sdk/2.1"),
  GATES("gates", "gate-scanner/4.2"),
  HOSTS("fleet-hosts", "vintrel-collector/1.0"),
  MID_ISLES("mid-isles-hosts", "vintrel-collector/1.0");

  final String token;
  final String program;

  Part(String token, String program) {
    this.token = token;
    this.program = program;
  }

  static Part of(Signal s) {
    if (s.metric.startsWith("host.")) {
      return "mid-isles".equals(s.labels.get("site")) ? MID_ISLES : HOSTS;
    }
    if (s.metric.startsWith("collector.") || s.metric.startsWith("check.")) {
      return "mid-isles".equals(s.labels.get("site")) ? MID_ISLES : HOSTS;
    }
    return s.metric.startsWith("scan.") ? GATES : APPS;
  }
}
