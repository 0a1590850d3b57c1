package vintrel.server.tell;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.hibernate.StatelessSession;
import tools.jackson.core.JacksonException;
import tools.jackson.core.type.TypeReference;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.tell.Group;
import vintrel.core.tell.MessageText;

/**
 * What a message says.
 *
 * @param rule empty if it is about several
 * @param series empty if it is about several, or a rule as a whole
 */
record MessageContent(String rule, String series, String change, MessageText text) {
  private static final JsonMapper JSON = JsonMapper.shared();
  private static final TypeReference<LinkedHashMap<String, Object>> TYPE = new TypeReference<>() {};

  /** Characters of a notice's content as the database keeps it. */
  private static final int MAX_CONTENT = 60_000;

  static String write(Map<String, Object> content) {
    var text = JSON.writeValueAsString(content);
    if (text.length() <= MAX_CONTENT) {
      return text;
    }
    // Texts of people are cut before anything else is.
    var small = new LinkedHashMap<>(content);
    small.replaceAll((k, v) -> v instanceof String s ? Outbox.cut(s, 1_000) : v);
    small.remove("labels");
    return JSON.writeValueAsString(small);
  }

  private static Map<String, Object> fields(NoticeRow row) {
    try {
      return row.content.isEmpty() ? new LinkedHashMap<>() : JSON.readValue(row.content, TYPE);
    } catch (JacksonException e) {
      return new LinkedHashMap<>();
    }
  }

  static MessageContent ofRule(NoticeRow row) {
    var fields = fields(row);
    return new MessageContent(
        row.rule, "", String.valueOf(fields.get("change")), MessageText.of(fields));
  }

  static MessageContent of(StatelessSession s, Group.Message message) {
    var items = message.items();
    var shown = items.subList(0, Math.min(MessageText.MAX_ITEMS, items.size()));
    var rows = new HashMap<Long, NoticeRow>();
    s.createSelectionQuery("from Notice where id in :ids", NoticeRow.class)
        .setParameterList("ids", shown.stream().map(i -> i.member().notice()).toList())
        .getResultList()
        .forEach(r -> rows.put(r.id, r));
    var entries = new ArrayList<Map<String, Object>>();
    for (var item : shown) {
      var row = rows.get(item.member().notice());
      var fields = row == null ? new LinkedHashMap<String, Object>() : fields(row);
      var words = words(item.news());
      fields.put("change", words);
      fields.put("flaps", item.member().flaps() == 0 ? "" : item.member().flaps());
      entries.add(fields);
    }
    var first = rows.get(shown.getFirst().member().notice());
    if (items.size() == 1) {
      var fields = entries.getFirst();
      return new MessageContent(
          first == null ? "" : first.rule,
          first == null ? "" : first.series,
          String.valueOf(fields.get("change")),
          MessageText.of(fields));
    }
    var rules = rows.values().stream().map(r -> r.rule).collect(Collectors.toSet());
    return new MessageContent(
        rules.size() == 1 && items.size() <= shown.size() ? first.rule : "",
        "",
        words(message.news()),
        MessageText.of(counts(items), entries, items.size(), message.active(), label(message)));
  }

  private static String label(Group.Message message) {
    return message.group().labels().toString();
  }

  /** How many of each, in order: "3 raised, 1 cleared". */
  private static String counts(List<Group.Item> items) {
    var counts = new LinkedHashMap<Group.News, Integer>();
    items.forEach(i -> counts.merge(i.news(), 1, Integer::sum));
    return counts.entrySet().stream()
        .map(e -> e.getValue() + " " + words(e.getKey()))
        .collect(Collectors.joining(", "));
  }

  private static String words(Group.News news) {
    return switch (news) {
      case RAISED -> "raised";
      case ESCALATED -> "escalated";
      case EASED -> "eased";
      case CLEARED -> "cleared";
      case STILL_RAISED -> "still raised";
    };
  }
}
