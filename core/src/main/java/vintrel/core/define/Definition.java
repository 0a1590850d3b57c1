package vintrel.core.define;

import vintrel.core.collect.Check;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.collect.ScrapeJob;
import vintrel.core.tell.Recipient;
import vintrel.core.tell.RoutingTable;
import vintrel.core.tell.Window;
import vintrel.core.watch.Rule;
import vintrel.core.wire.ResourceRules;

/** A checked document. */
public sealed interface Definition {
  String kind();

  String name();

  /** Where it is listed; empty for none. */
  default String folder() {
    return "";
  }

  record OfDashboard(Dashboard dashboard) implements Definition {
    @Override
    public String kind() {
      return "dashboard";
    }

    @Override
    public String name() {
      return dashboard.name();
    }

    @Override
    public String folder() {
      return dashboard.folder();
    }
  }

  record OfRule(Rule rule) implements Definition {
    @Override
    public String kind() {
      return "rule";
    }

    @Override
    public String name() {
      return rule.name();
    }

    @Override
    public String folder() {
      return rule.folder();
    }
  }

  record OfRecipient(Recipient recipient) implements Definition {
    @Override
    public String kind() {
      return "recipient";
    }

    @Override
    public String name() {
      return recipient.name();
    }
  }

  record OfRouting(String name, RoutingTable table) implements Definition {
    @Override
    public String kind() {
      return "routing";
    }
  }

  /** Planned work. */
  record OfWindow(Window window) implements Definition {
    @Override
    public String kind() {
      return "window";
    }

    @Override
    public String name() {
      return window.name();
    }
  }

  /** Endpoints to scrape. */
  record OfJob(ScrapeJob job) implements Definition {
    @Override
    public String kind() {
      return "job";
    }

    @Override
    public String name() {
      return job.name();
    }
  }

  /** A probe from the server. */
  record OfCheck(Check check) implements Definition {
    @Override
    public String kind() {
      return "check";
    }

    @Override
    public String name() {
      return check.name();
    }
  }

  /**
   * Which attributes of resources become labels.
   *
   * @param name of the token that they are for; default: of all that have none of their own
   */
  record OfResources(String name, ResourceRules rules) implements Definition {
    @Override
    public String kind() {
      return "resources";
    }
  }

  /** What a collector on a host reads. */
  record OfCollector(CollectorConfig config) implements Definition {
    @Override
    public String kind() {
      return "collector";
    }

    @Override
    public String name() {
      return config.name();
    }
  }
}
