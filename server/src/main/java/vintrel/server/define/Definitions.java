package vintrel.server.define;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.NoSuchElementException;
import java.util.Set;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.concurrent.ConcurrentSkipListSet;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import org.hibernate.StatelessSession;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.beans.factory.ObjectProvider;
import org.springframework.context.ApplicationEventPublisher;
import org.springframework.stereotype.Service;
import vintrel.core.define.Bundle;
import vintrel.core.define.Changes;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.tell.Recipient;
import vintrel.core.tell.RoutingTable;
import vintrel.core.tell.Window;
import vintrel.core.watch.Rule;
import vintrel.server.access.Vault;
import vintrel.server.database.Database;
import vintrel.server.database.Leases;

/**
 * Definitions as they are in force, with all their versions. What is read comes from memory; a
 * change is written in one transaction with its revision, then memory follows. Any thread.
 */
@Service
public class Definitions {
  private static final Logger log = LoggerFactory.getLogger(Definitions.class);

  private final Database database;
  private final Vault vault;
  private final ApplicationEventPublisher events;
  private final Leases leases;
  private final Clock clock;
  private final ObjectProvider<SavingCheck> tries;
  private final Map<String, Stored> current = new ConcurrentSkipListMap<>();

  /** Defined, but not readable by this version. */
  private final Set<String> unreadable = new ConcurrentSkipListSet<>();

  /** Versions of other servers that this one can't read, so that each is tried once. */
  private final Map<String, Integer> unread = new HashMap<>();

  /** Published after definitions changed. */
  public record Changed(List<Change> changes) {}

  /** A definition in force. */
  public record Stored(
      Definition definition, Map<String, Object> content, String text, int version, String by) {}

  /**
   * What a save did.
   *
   * @param what made, changed or left
   */
  public record Saved(String what, Stored stored) {}

  Definitions(
      Database database,
      Vault vault,
      ApplicationEventPublisher events,
      ObjectProvider<SavingCheck> tries,
      Leases leases,
      Clock clock) {
    this.leases = leases;
    this.tries = tries;
    this.database = database;
    this.vault = vault;
    this.events = events;
    this.clock = clock;
    database
        .with(s -> s.createSelectionQuery("from Definition", DefinitionRow.class).getResultList())
        .forEach(this::load);
  }

  /**
   * Takes over what other servers on the same database wrote; it is told as own changes are. Does
   * nothing if the database is this server's alone.
   */
  synchronized void follow() {
    if (!leases.areShared()) {
      return;
    }
    var versions =
        database.with(
            s ->
                s.createSelectionQuery("select kind, name, version from Definition", Object[].class)
                    .getResultList());
    var there = new HashSet<String>();
    var changes = new ArrayList<Change>();
    for (var v : versions) {
      var key = v[0] + "/" + v[1];
      there.add(key);
      var known = current.get(key);
      boolean asKnown =
          v[2].equals(unread.get(key))
              || (known != null ? known.version() == (Integer) v[2] : unreadable.contains(key));
      if (!asKnown && reload((String) v[0], (String) v[1])) {
        changes.add(new Change((String) v[0], (String) v[1], known == null ? "made" : "changed"));
      }
    }
    for (var stored : List.copyOf(current.values())) {
      var d = stored.definition();
      if (!there.contains(key(d))) {
        current.remove(key(d));
        changes.add(new Change(d.kind(), d.name(), "removed"));
      }
    }
    if (!changes.isEmpty()) {
      events.publishEvent(new Changed(List.copyOf(changes)));
    }
  }

  private boolean reload(String kind, String name) {
    vault.follow();
    var row = database.with(s -> s.get(DefinitionRow.class, new DefinitionRow.Key(kind, name)));
    if (row == null) {
      return false;
    }
    var key = kind + "/" + name;
    boolean wasUnreadable = unreadable.remove(key);
    load(row);
    var now = current.get(key);
    boolean read = now != null && now.version() == row.version;
    if (read) {
      unread.remove(key);
    } else {
      unread.put(key, row.version);
      if (now != null && !wasUnreadable) {
        // The version before stays in force here.
        unreadable.remove(key);
      }
    }
    return read;
  }

  private void load(DefinitionRow row) {
    try {
      load(row, row.text);
    } catch (DefinitionException e) {
      log.warn("the {} {} is not valid any more: {}", row.kind, row.name, e.faults());
      try {
        load(row, Bundle.mended(row.text));
      } catch (DefinitionException again) {
        log.error("the {} {} was not applied: {}", row.kind, row.name, again.faults());
        unreadable.add(row.kind + "/" + row.name);
      }
    }
  }

  /** One that an earlier version wrote with its secrets is written again without. */
  private void load(DefinitionRow row, String text) {
    var fresh = new HashMap<String, String>();
    var document = Bundle.parse(text, keeping(fresh)).documents().getFirst();
    if (!fresh.isEmpty()) {
      row.text = document.text();
      database.run(
          s -> {
            vault.write(s, fresh);
            s.update(row);
            concealEarlier(s, row);
          });
      vault.kept(fresh);
    }
    current.put(document.key(), stored(document, row.version, row.changedBy));
  }

  /**
   * Earlier versions are written again without their secrets, each with its own text; of one that
   * can't be read any more nothing may stay, so it gets the present one.
   */
  private void concealEarlier(StatelessSession s, DefinitionRow row) {
    var revisions =
        s.createSelectionQuery(
                "from Revision where kind = :kind and name = :name and text is not null",
                RevisionRow.class)
            .setParameter("kind", row.kind)
            .setParameter("name", row.name)
            .getResultList();
    for (var revision : revisions) {
      var own = new HashMap<String, String>();
      try {
        revision.text = Bundle.parse(revision.text, keeping(own)).documents().getFirst().text();
      } catch (DefinitionException e) {
        revision.text = row.text;
      }
      vault.write(s, own);
      vault.kept(own);
      s.update(revision);
    }
  }

  private static Stored stored(Bundle.Document d, int version, String by) {
    return new Stored(d.definition(), d.content(), d.text(), version, by);
  }

  private UnaryOperator<String> keeping(Map<String, String> fresh) {
    return secret -> {
      var reference = vault.reference(secret);
      fresh.put(reference, secret);
      return reference;
    };
  }

  /** What one change of several definitions is to do. */
  private static final class Plan {
    final List<Bundle.Document> written = new ArrayList<>();
    final List<Stored> removed = new ArrayList<>();
    final List<Change> changes = new ArrayList<>();
    final Map<String, String> secrets = new HashMap<>();
  }

  /**
   * Takes all documents of a bundle in one transaction, or none.
   *
   * @param dryRun only return what would change
   * @throws DefinitionException with all faults
   */
  public List<Change> apply(String text, boolean dryRun, String by, Origin from) {
    return apply(text, null, dryRun, by, from);
  }

  /**
   * As above; other definitions of a folder are removed.
   *
   * @param prune the folder, {@code folder} for all folders of the bundle, or null for none
   */
  public List<Change> apply(String text, String prune, boolean dryRun, String by, Origin from) {
    tryOut(text);
    return carryOut(text, prune, dryRun, by, from);
  }

  /** Tries out what is new in a bundle; without the lock, since that may take its time. */
  private void tryOut(String text) {
    var checks = tries.stream().toList();
    if (checks.isEmpty()) {
      return;
    }
    var faults = new ArrayList<String>();
    for (var d : Bundle.parse(text, keeping(new HashMap<>())).documents()) {
      var known = current.get(d.key());
      if (known == null || !known.text().equals(d.text())) {
        checks.forEach(c -> faults.addAll(c.faults(d.definition())));
      }
    }
    if (!faults.isEmpty()) {
      throw new DefinitionException(faults);
    }
  }

  private synchronized List<Change> carryOut(
      String text, String prune, boolean dryRun, String by, Origin from) {
    follow();
    var plan = new Plan();
    var bundle = Bundle.parse(text, keeping(plan.secrets));
    needSecrets(bundle.documents(), plan.secrets);
    bundle.documents().forEach(d -> add(plan, d));
    if (prune != null) {
      prune(plan, bundle, prune);
    }
    check(plan);
    if (!dryRun) {
      carryOut(plan, by, from);
    }
    return plan.changes;
  }

  private void add(Plan plan, Bundle.Document document) {
    var known = current.get(document.key());
    var what = known == null ? "made" : known.text().equals(document.text()) ? "left" : "changed";
    var definition = document.definition();
    plan.changes.add(new Change(definition.kind(), definition.name(), what));
    if (!what.equals("left")) {
      plan.written.add(document);
    }
  }

  private void prune(Plan plan, Bundle bundle, String prune) {
    var keys = bundle.documents().stream().map(Bundle.Document::key).toList();
    boolean all =
        prune.equals("folder")
            && current.values().stream().noneMatch(d -> d.definition().folder().equals(prune));
    var folders =
        all
            ? bundle.documents().stream()
                .map(d -> d.definition().folder())
                .filter(f -> !f.isEmpty())
                .toList()
            : List.of(prune);
    current.forEach(
        (key, stored) -> {
          if (!keys.contains(key) && folders.contains(stored.definition().folder())) {
            plan.removed.add(stored);
            var definition = stored.definition();
            plan.changes.add(new Change(definition.kind(), definition.name(), "removed"));
          }
        });
  }

  private void check(Plan plan) {
    var after = new LinkedHashMap<String, Definition>();
    current.forEach((key, stored) -> after.put(key, stored.definition()));
    plan.written.forEach(d -> after.put(d.key(), d.definition()));
    plan.removed.forEach(s -> after.remove(key(s.definition())));
    var faults = References.faults(plan.written, after.values());
    if (!faults.isEmpty()) {
      throw new DefinitionException(faults);
    }
  }

  private static String key(Definition d) {
    return d.kind() + "/" + d.name();
  }

  private void needSecrets(List<Bundle.Document> documents, Map<String, String> fresh) {
    var faults = new ArrayList<String>();
    for (var d : documents) {
      for (var reference : vault.unknown(d.text())) {
        if (!fresh.containsKey(reference)) {
          faults.add(
              "%s %s: unknown secret %s; enter the complete address"
                  .formatted(d.definition().kind(), d.definition().name(), reference));
        }
      }
      if (faults.isEmpty()) {
        faults.addAll(SecretUse.faults(d, fresh.keySet(), this::texts));
      }
    }
    if (!faults.isEmpty()) {
      throw new DefinitionException(faults);
    }
  }

  /** The texts of all versions of a definition. */
  private Stream<String> texts(String key) {
    int slash = key.indexOf('/');
    return history(key.substring(0, slash), key.substring(slash + 1)).stream()
        .filter(r -> !r.deleted())
        .map(Revision::text);
  }

  private void carryOut(Plan plan, String by, Origin from) {
    if (plan.written.isEmpty() && plan.removed.isEmpty()) {
      return;
    }
    var versions = new HashMap<String, Integer>();
    database.run(
        session -> {
          vault.write(session, plan.secrets);
          for (var document : plan.written) {
            versions.put(document.key(), write(session, document, by, from));
          }
          plan.removed.forEach(stored -> delete(session, stored, by, from));
        });
    vault.kept(plan.secrets);
    plan.written.forEach(d -> current.put(d.key(), stored(d, versions.get(d.key()), by)));
    plan.removed.forEach(stored -> current.remove(key(stored.definition())));
    events.publishEvent(new Changed(List.copyOf(plan.changes)));
  }

  private int write(StatelessSession session, Bundle.Document d, String by, Origin from) {
    var key = new DefinitionRow.Key(d.definition().kind(), d.definition().name());
    var row = session.get(DefinitionRow.class, key);
    boolean isNew = row == null;
    if (isNew) {
      row = new DefinitionRow();
      row.kind = key.kind;
      row.name = key.name;
    }
    row.text = d.text();
    row.version = latest(session, key.kind, key.name) + 1;
    row.changedAt = clock.millis();
    row.changedBy = by;
    if (isNew) {
      session.insert(row);
    } else {
      session.update(row);
    }
    revise(session, key, row.version, by, from, d.text());
    return row.version;
  }

  private void delete(StatelessSession session, Stored stored, String by, Origin from) {
    var key = new DefinitionRow.Key(stored.definition().kind(), stored.definition().name());
    session.delete(session.get(DefinitionRow.class, key));
    revise(session, key, latest(session, key.kind, key.name) + 1, by, from, null);
  }

  private static int latest(StatelessSession session, String kind, String name) {
    Integer found =
        session
            .createSelectionQuery(
                "select max(version) from Revision where kind = :kind and name = :name",
                Integer.class)
            .setParameter("kind", kind)
            .setParameter("name", name)
            .getSingleResult();
    return found == null ? 0 : found;
  }

  private void revise(
      StatelessSession session,
      DefinitionRow.Key key,
      int version,
      String by,
      Origin from,
      String text) {
    var row = new RevisionRow();
    row.kind = key.kind;
    row.name = key.name;
    row.version = version;
    row.at = clock.millis();
    row.changedBy = by;
    row.origin = from.text();
    row.text = text;
    session.insert(row);
  }

  /**
   * Saves one definition.
   *
   * @param expected the version that it is based on, 0 if it must be new; null for any
   * @throws StaleVersionException if another version is in force
   * @throws DefinitionException with all faults
   */
  public Saved save(String text, Integer expected, String by, Origin from) {
    tryOut(text);
    return saveNow(text, expected, by, from);
  }

  private synchronized Saved saveNow(String text, Integer expected, String by, Origin from) {
    follow();
    var plan = new Plan();
    var documents = Bundle.parse(text, keeping(plan.secrets)).documents();
    if (documents.size() != 1) {
      throw new DefinitionException(
          List.of("expected one document, but found " + documents.size()));
    }
    var document = documents.getFirst();
    needVersion(document.definition().kind(), document.definition().name(), expected);
    needSecrets(documents, plan.secrets);
    add(plan, document);
    check(plan);
    carryOut(plan, by, from);
    return new Saved(plan.changes.getFirst().what(), current.get(document.key()));
  }

  /** The same for a definition that was changed as a record. */
  public Saved save(Definition definition, Integer expected, String by, Origin from) {
    return save(Bundle.Document.of(definition).text(), expected, by, from);
  }

  /**
   * Changes a dashboard.
   *
   * @throws NoSuchElementException if there is none of that name
   */
  public synchronized Saved change(String dashboard, UnaryOperator<Dashboard> change, String by) {
    follow();
    var known = dashboard(dashboard);
    if (known == null) {
      throw new NoSuchElementException("no dashboard named `" + dashboard + "`");
    }
    return save(new Definition.OfDashboard(change.apply(known)), null, by, Origin.PAGE);
  }

  private void needVersion(String kind, String name, Integer expected) {
    var stored = current.get(kind + "/" + name);
    int version = stored == null ? 0 : stored.version();
    if (expected == null || expected == version) {
      return;
    }
    var since = new ArrayList<Changes.Change>();
    if (stored != null && expected > 0) {
      history(kind, name).stream()
          .filter(r -> r.version() == expected && !r.deleted())
          .forEach(r -> since.addAll(Changes.between(r.text(), stored.text())));
    }
    throw new StaleVersionException(kind, name, version, stored == null ? "" : stored.by(), since);
  }

  /**
   * Removes a definition; it can be restored.
   *
   * @param expected as for saving
   * @throws NoSuchElementException if there is none
   * @throws IllegalStateException if others refer to it
   */
  public synchronized void remove(
      String kind, String name, Integer expected, String by, Origin from) {
    follow();
    var stored = need(kind, name);
    needVersion(kind, name, expected);
    var users =
        References.usersOf(
            stored.definition(), current.values().stream().map(Stored::definition).toList());
    if (!users.isEmpty()) {
      throw new IllegalStateException(
          "the %s `%s` is used by %s; change these first"
              .formatted(kind, name, String.join(", ", users)));
    }
    var plan = new Plan();
    plan.removed.add(stored);
    plan.changes.add(new Change(kind, name, "removed"));
    carryOut(plan, by, from);
  }

  /**
   * Puts an earlier version in force again, as a new version.
   *
   * @param version null for the latest before the present one: undoes the last change or deletion
   * @throws NoSuchElementException if there is no such version
   */
  public Saved restore(String kind, String name, Integer version, String by, Origin from) {
    var stored = current.get(kind + "/" + name);
    int present = stored == null ? Integer.MAX_VALUE : stored.version();
    var wanted =
        history(kind, name).stream()
            .filter(r -> !r.deleted())
            .filter(r -> version == null ? r.version() < present : r.version() == version)
            .findFirst()
            .orElseThrow(
                () ->
                    new NoSuchElementException(
                        version == null
                            ? "the %s `%s` has no earlier version".formatted(kind, name)
                            : "the %s `%s` has no version %d".formatted(kind, name, version)));
    return save(wanted.text(), null, by, from);
  }

  /**
   * Removes versions that are older than a time, but for the latest of each definition.
   *
   * @param before ms, exclusive
   * @param spared how many of the latest stay
   * @param most that are removed at once
   * @return how many were removed
   */
  public int sweep(long before, int spared, int most) {
    return database.with(
        s -> {
          var old =
              s.createSelectionQuery(
                      "from Revision r where r.at < :before and r.version <= (select max(o.version)"
                          + " from Revision o where o.kind = r.kind and o.name = r.name) - :spared"
                          + " order by r.at",
                      RevisionRow.class)
                  .setParameter("before", before)
                  .setParameter("spared", spared)
                  .setMaxResults(most)
                  .getResultList();
          old.forEach(s::delete);
          return old.size();
        });
  }

  /** All versions, newest first; empty if there was never one. */
  public List<Revision> history(String kind, String name) {
    return database.with(
        s ->
            s
                .createSelectionQuery(
                    "from Revision where kind = :kind and name = :name order by version desc",
                    RevisionRow.class)
                .setParameter("kind", kind)
                .setParameter("name", name)
                .getResultList()
                .stream()
                .map(
                    r ->
                        new Revision(
                            r.version,
                            r.at,
                            r.changedBy,
                            Origin.valueOf(r.origin.toUpperCase(java.util.Locale.ROOT)),
                            r.text))
                .toList());
  }

  /**
   * Who made the version in force, and when.
   *
   * @param at ms; 0 if it is not known
   * @param from where it comes from
   * @param version its number
   */
  public record LastChange(String by, long at, Origin from, int version) {}

  /** The last change of each definition of a kind, by name; deleted ones too. */
  public Map<String, LastChange> lastChanges(String kind) {
    var rows =
        database.with(
            s ->
                s.createSelectionQuery(
                        "select r.name, r.changedBy, r.at, r.origin, r.version from Revision r"
                            + " where r.kind = :kind and r.version = (select max(o.version) from"
                            + " Revision o where o.kind = r.kind and o.name = r.name)",
                        Object[].class)
                    .setParameter("kind", kind)
                    .getResultList());
    var out = new HashMap<String, LastChange>();
    for (var row : rows) {
      var from = Origin.valueOf(((String) row[3]).toUpperCase(java.util.Locale.ROOT));
      out.put(
          (String) row[0], new LastChange((String) row[1], (Long) row[2], from, (Integer) row[4]));
    }
    return out;
  }

  /** A name of this kind that nothing has: the wanted one, or with a number. */
  public String free(String kind, String wanted) {
    var name = wanted;
    for (int n = 2; isDefined(kind, name); n++) {
      name = wanted + "-" + n;
    }
    return name;
  }

  /** True if there is a definition, whether or not this version can read it. */
  public boolean isDefined(String kind, String name) {
    return find(kind, name) != null || unreadable.contains(kind + "/" + name);
  }

  /** The definition in force, or null. */
  public Stored find(String kind, String name) {
    return current.get(kind + "/" + name);
  }

  private Stored need(String kind, String name) {
    var stored = find(kind, name);
    if (stored == null) {
      throw new NoSuchElementException("no %s named `%s`".formatted(kind, name));
    }
    return stored;
  }

  /** Applies the documents of a shipped file that are not defined yet; others are left alone. */
  public void applyOnce(String resource) {
    try (var in = Definitions.class.getResourceAsStream(resource)) {
      var text = new String(in.readAllBytes(), StandardCharsets.UTF_8);
      var missing =
          Bundle.parse(text).documents().stream()
              .filter(d -> !current.containsKey(d.key()))
              // What somebody has deleted stays deleted.
              .filter(d -> history(d.definition().kind(), d.definition().name()).isEmpty())
              .map(Bundle.Document::text)
              .toList();
      if (!missing.isEmpty()) {
        apply(String.join("\n---\n", missing), false, "Vintrel", Origin.FILE);
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** All documents as one YAML text; those of one kind if it is given. */
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
    var stored = find("dashboard", name);
    return stored == null ? null : ((Definition.OfDashboard) stored.definition()).dashboard();
  }

  public List<Rule> rules() {
    return all(Definition.OfRule.class).map(Definition.OfRule::rule).toList();
  }

  /**
   * The rule of a name.
   *
   * @throws NoSuchElementException if there is none
   */
  public Rule rule(String name) {
    return rules().stream()
        .filter(r -> r.name().equals(name))
        .findFirst()
        .orElseThrow(() -> new NoSuchElementException("no rule named `" + name + "`"));
  }

  public List<Recipient> recipients() {
    return all(Definition.OfRecipient.class).map(Definition.OfRecipient::recipient).toList();
  }

  /** The routing table in force, or null if none is defined. */
  public RoutingTable routing() {
    return all(Definition.OfRouting.class)
        .map(Definition.OfRouting::table)
        .findFirst()
        .orElse(null);
  }

  public List<Window> windows() {
    return all(Definition.OfWindow.class).map(Definition.OfWindow::window).toList();
  }

  public List<Definition.OfJob> jobs() {
    return all(Definition.OfJob.class).toList();
  }

  public List<Definition.OfCheck> checks() {
    return all(Definition.OfCheck.class).toList();
  }

  public List<Definition.OfCollector> collectors() {
    return all(Definition.OfCollector.class).toList();
  }

  private <T extends Definition> Stream<T> all(Class<T> type) {
    return current.values().stream()
        .map(Stored::definition)
        .filter(type::isInstance)
        .map(type::cast);
  }
}
