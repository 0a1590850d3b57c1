package vintrel.server.keep;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.function.UnaryOperator;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.context.ApplicationEventPublisher;
import org.springframework.stereotype.Service;
import vintrel.core.define.Bundle;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.tell.Recipient;
import vintrel.core.tell.RoutingTable;
import vintrel.core.watch.Rule;

/** Definitions as they are in force: in the database, and checked in memory. Any thread. */
@Service
public class Definitions {
  private static final Logger log = LoggerFactory.getLogger(Definitions.class);

  private final Database database;
  private final Vault vault;
  private final ApplicationEventPublisher events;
  private final Clock clock;
  private final Map<String, Bundle.Document> current = new ConcurrentSkipListMap<>();

  /** Told after definitions changed. */
  public record Changed(List<Change> changes) {}

  /** What became, or would become, of one document: made, changed or left. */
  public record Change(String kind, String name, String what) {}

  Definitions(Database database, Vault vault, ApplicationEventPublisher events, Clock clock) {
    this.database = database;
    this.vault = vault;
    this.events = events;
    this.clock = clock;
    database
        .with(s -> s.createSelectionQuery("from Definition", DefinitionRow.class).getResultList())
        .forEach(this::load);
  }

  /** One that an earlier version wrote with its secrets is written again without. */
  private void load(DefinitionRow row) {
    try {
      load(row, row.text);
    } catch (DefinitionException e) {
      log.warn("the {} {} has what is refused now: {}", row.kind, row.name, e.faults());
      try {
        load(row, Bundle.mended(row.text));
      } catch (DefinitionException again) {
        log.error("the {} {} is not in force: {}", row.kind, row.name, again.faults());
      }
    }
  }

  private void load(DefinitionRow row, String text) {
    var fresh = new HashMap<String, String>();
    var document = Bundle.parse(text, keeping(fresh)).documents().getFirst();
    if (!fresh.isEmpty()) {
      row.text = document.text();
      database.run(
          s -> {
            vault.write(s, fresh);
            s.update(row);
          });
      vault.kept(fresh);
    }
    remember(document);
  }

  private UnaryOperator<String> keeping(Map<String, String> fresh) {
    return secret -> {
      var reference = vault.reference(secret);
      fresh.put(reference, secret);
      return reference;
    };
  }

  private void remember(Bundle.Document document) {
    current.put(key(document.definition()), document);
  }

  private static String key(Definition d) {
    return d.kind() + "/" + d.name();
  }

  /**
   * Takes all documents of a bundle in one transaction, or none.
   *
   * @param dryRun only say what would change
   * @throws vintrel.core.define.DefinitionException with all faults
   */
  public synchronized List<Change> apply(String text, boolean dryRun, String who) {
    var fresh = new HashMap<String, String>();
    var bundle = Bundle.parse(text, keeping(fresh));
    needKnown(bundle, fresh);
    var changes = new ArrayList<Change>();
    var toWrite = new ArrayList<Bundle.Document>();
    for (var document : bundle.documents()) {
      var known = current.get(key(document.definition()));
      var what = known == null ? "made" : known.text().equals(document.text()) ? "left" : "changed";
      changes.add(new Change(document.definition().kind(), document.definition().name(), what));
      if (!what.equals("left")) {
        toWrite.add(document);
      }
    }
    if (!dryRun && !toWrite.isEmpty()) {
      database.run(
          session -> {
            vault.write(session, fresh);
            toWrite.forEach(d -> write(session, d, who));
          });
      vault.kept(fresh);
      toWrite.forEach(this::remember);
      events.publishEvent(new Changed(List.copyOf(changes)));
    }
    return changes;
  }

  private void needKnown(Bundle bundle, Map<String, String> fresh) {
    var faults = new ArrayList<String>();
    for (var d : bundle.documents()) {
      for (var reference : vault.unknown(d.text())) {
        if (!fresh.containsKey(reference)) {
          faults.add(
              "%s %s: the secret %s is not known here; write the whole address"
                  .formatted(d.definition().kind(), d.definition().name(), reference));
        }
      }
    }
    if (!faults.isEmpty()) {
      throw new DefinitionException(faults);
    }
  }

  /** Takes the documents of a shipped file that nobody has defined yet; others are left alone. */
  public void applyOnce(String resource) {
    try (var in = Definitions.class.getResourceAsStream(resource)) {
      var text = new String(in.readAllBytes(), StandardCharsets.UTF_8);
      var missing =
          Bundle.parse(text).documents().stream()
              .filter(d -> !current.containsKey(key(d.definition())))
              .map(Bundle.Document::text)
              .toList();
      if (!missing.isEmpty()) {
        apply(String.join("\n---\n", missing), false, "Vintrel");
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private void write(org.hibernate.StatelessSession session, Bundle.Document d, String who) {
    var key = new DefinitionRow.Key(d.definition().kind(), d.definition().name());
    var row = session.get(DefinitionRow.class, key);
    boolean isNew = row == null;
    if (isNew) {
      row = new DefinitionRow();
      row.kind = key.kind;
      row.name = key.name;
    }
    row.text = d.text();
    row.version++;
    row.changedAt = clock.millis();
    row.changedBy = who;
    if (isNew) {
      session.insert(row);
    } else {
      session.update(row);
    }
  }

  /**
   * Moves the panels of a dashboard.
   *
   * @param places by panel id: column, row, width, height
   * @throws vintrel.core.define.DefinitionException where a panel would leave the grid
   */
  public void rearrange(String dashboard, Map<String, List<Integer>> places, String who) {
    var document = current.get("dashboard/" + dashboard);
    if (document != null) {
      apply(Bundle.rearrange(document.text(), places), false, who);
    }
  }

  /**
   * Adds a panel to a dashboard, which is made where it is new.
   *
   * @param title of the dashboard where it is made
   * @throws vintrel.core.define.DefinitionException where the panel is none
   */
  public void addPanel(String dashboard, String title, Map<String, Object> panel, String who) {
    var known = current.get("dashboard/" + dashboard);
    var fresh = new java.util.LinkedHashMap<String, Object>();
    fresh.put("kind", "dashboard");
    fresh.put("name", dashboard);
    fresh.put("title", title);
    var document = known == null ? Bundle.text(fresh) : known.text();
    apply(Bundle.withPanel(document, panel), false, who);
  }

  /** All documents as one YAML text; those of one kind where it is given. */
  public String export(String kind) {
    var out = new StringBuilder();
    current.values().stream()
        .filter(d -> kind == null || d.definition().kind().equals(kind))
        .forEach(d -> out.append("---\n").append(d.text()));
    return out.toString();
  }

  public List<Dashboard> dashboards() {
    return all(Definition.OfDashboard.class).map(Definition.OfDashboard::dashboard).toList();
  }

  /** The dashboard of a name, or null. */
  public Dashboard dashboard(String name) {
    return dashboards().stream().filter(d -> d.name().equals(name)).findFirst().orElse(null);
  }

  public List<Rule> rules() {
    return all(Definition.OfRule.class).map(Definition.OfRule::rule).toList();
  }

  public List<Recipient> recipients() {
    return all(Definition.OfRecipient.class).map(Definition.OfRecipient::recipient).toList();
  }

  /** The routing table in force, or null where none is defined. */
  public RoutingTable routing() {
    return all(Definition.OfRouting.class)
        .map(Definition.OfRouting::table)
        .findFirst()
        .orElse(null);
  }

  public List<Definition.OfJob> jobs() {
    return all(Definition.OfJob.class).toList();
  }

  private <T extends Definition> java.util.stream.Stream<T> all(Class<T> type) {
    return current.values().stream()
        .map(Bundle.Document::definition)
        .filter(type::isInstance)
        .map(type::cast);
  }
}
