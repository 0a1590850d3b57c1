package vintrel.core.tell;

import com.samskivert.mustache.Mustache;
import com.samskivert.mustache.MustacheException;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import vintrel.core.series.Labels;
import vintrel.core.unit.Units;
import vintrel.core.watch.Rule;
import vintrel.core.watch.Transition;

/**
 * Templates → messages. Templates are Mustache; a field that is not known prints as nothing, and a
 * template that can't be read is replaced by the built-in one: a message never fails for its text.
 */
public record MessageText(String subject, String body) {
  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("EEE d MMM yyyy HH:mm:ss zzz", Locale.ENGLISH);

  private static final String SUBJECT =
      "{{#test}}TEST {{/test}}{{change}}{{#priority}} ({{priority}}){{/priority}}:"
          + " {{rule}}{{#series}}, {{series}}{{/series}}";

  private static final String BODY =
      """
      {{summary}}

      {{why}}{{#flaps}}; cleared and raised again {{flaps}} times since the last message{{/flaps}}
      {{#details}}

      {{details}}
      {{/details}}

      Rule:      {{rule}}
      {{#series}}
      Series:    {{series}}
      {{/series}}
      {{#state}}
      State:     {{state}}
      {{/state}}
      {{#time}}
      Time:      {{time}}
      {{/time}}
      {{#owner}}
      Owner:     {{owner}}
      {{/owner}}
      {{#runbook}}
      Runbook:   {{runbook}}
      {{/runbook}}
      Open:      {{link}}
      """;

  /** Alerts that one message describes; of more it says how many. */
  public static final int MAX_ITEMS = 10;

  private static final String SUBJECT_OF_SEVERAL =
      "{{counts}}{{#rule}}: {{rule}}{{/rule}}{{#group}} ({{group}}){{/group}}";

  private static final String BODY_OF_SEVERAL =
      """
      {{#items}}
      {{change}}{{#priority}} ({{priority}}){{/priority}}: {{rule}}{{#series}}, {{series}}{{/series}}
        {{summary}}
        {{why}}{{#flaps}}; cleared and raised again {{flaps}} times since the last message{{/flaps}}
        {{time}}
        {{link}}

      {{/items}}
      {{#more}}
      and {{more}} more

      {{/more}}
      {{active}} {{#one}}alert{{/one}}{{^one}}alerts{{/one}} of this group active now.
      """;

  /**
   * The fields that templates may use: rule, change, state, priority, value, limit, series, why,
   * time, summary, details, owner, runbook, link, test, and labels.NAME.
   */
  public static Map<String, Object> fields(
      Rule rule, Labels labels, Transition t, String link, ZoneId zone, boolean test) {
    var f = new LinkedHashMap<String, Object>();
    f.put("rule", rule.title());
    f.put("change", t.change().text());
    f.put("state", t.to().text());
    var limit = rule.limit(t.priority());
    f.put("priority", t.priority() == null ? "" : t.priority().text());
    f.put("limit", limit == null ? "" : limit.words(rule.unit()));
    f.put("value", Units.format(t.value(), rule.unit()));
    f.put("series", labels.toString());
    f.put("labels", labels.asMap());
    f.put("why", t.why());
    f.put("time", TIME.format(Instant.ofEpochMilli(t.at()).atZone(zone)));
    f.put("owner", rule.owner());
    f.put("runbook", rule.runbook());
    f.put("link", link);
    f.put("test", test);
    // A summary speaks of a series; these changes concern the rule as a whole.
    boolean whole =
        t.change() == Transition.Change.REGISTERED || t.change() == Transition.Change.PAUSED;
    var template = whole || rule.summary().isBlank() ? rule.title() : rule.summary();
    f.put("summary", render(template, f, rule.title()));
    f.put("details", whole ? "" : render(rule.details(), f, ""));
    return f;
  }

  public static MessageText of(Map<String, Object> fields) {
    return new MessageText(
        render(SUBJECT, fields, "Vintrel").strip().replaceAll("\\s+", " "),
        render(BODY, fields, "Vintrel"));
  }

  /**
   * A message about several alerts.
   *
   * @param counts what became of how many, in words
   * @param shown the fields of the first of them
   * @param all how many there are
   * @param active how many alerts of the group are active now
   * @param group the labels that they have in common; may be empty
   */
  public static MessageText of(
      String counts, List<Map<String, Object>> shown, int all, int active, String group) {
    var first = shown.isEmpty() ? Map.<String, Object>of() : shown.getFirst();
    boolean sameRule =
        shown.size() == all && shown.stream().map(f -> f.get("rule")).distinct().count() == 1;
    var f = new LinkedHashMap<String, Object>();
    f.put("counts", counts);
    f.put("rule", sameRule ? first.get("rule") : "");
    f.put("group", group);
    f.put("items", shown);
    f.put("more", all > shown.size() ? all - shown.size() : "");
    f.put("active", active);
    f.put("one", active == 1);
    return new MessageText(
        render(SUBJECT_OF_SEVERAL, f, counts).strip().replaceAll("\\s+", " "),
        render(BODY_OF_SEVERAL, f, counts));
  }

  /** The fields of a message without anything that a definition or a sender wrote. */
  public static Map<String, Object> plainFields(Rule rule, Transition t, String link) {
    var f = new LinkedHashMap<String, Object>();
    f.put("rule", rule.name());
    f.put("change", t.change().text());
    f.put("priority", t.priority() == null ? "" : t.priority().text());
    f.put("summary", "The full message could not be stored.");
    f.put("link", link);
    return f;
  }

  /** Why a template can't be used, in words, or null if it can. */
  public static String fault(String template) {
    try {
      Mustache.compiler()
          .withLoader(
              name -> {
                throw new IllegalArgumentException(
                    "parts of other templates, as {{>" + name + "}}");
              })
          .escapeHTML(false)
          .emptyStringIsFalse(true)
          .defaultValue("")
          .compile(template)
          .execute(Map.of());
      return null;
    } catch (MustacheException e) {
      return "the template can't be read: " + e.getMessage();
    } catch (RuntimeException e) {
      return "the template can't have " + e.getMessage();
    }
  }

  /** One template with fields; {@code otherwise} if it can't be filled, for whatever reason. */
  public static String render(String template, Map<String, Object> fields, String otherwise) {
    try {
      return Mustache.compiler()
          .escapeHTML(false)
          .emptyStringIsFalse(true)
          .defaultValue("")
          .compile(template)
          .execute(fields);
    } catch (RuntimeException | StackOverflowError e) {
      return otherwise;
    }
  }
}
