package vintrel.core.define;

import java.lang.reflect.ParameterizedType;
import java.lang.reflect.RecordComponent;
import java.util.ArrayList;
import java.util.List;
import vintrel.core.panel.PanelKinds;
import vintrel.core.panel.Setting;

/** What the sheet of a panel offers for each kind: its settings in their groups. */
public final class PanelSettings {
  private PanelSettings() {}

  /**
   * A kind.
   *
   * @param question that it answers
   * @param needs the shape of data that it needs, in words
   * @param query whether it needs lines
   */
  public record Kind(
      String word,
      String title,
      String question,
      String needs,
      boolean query,
      List<One> settings) {}

  /**
   * A setting.
   *
   * @param name in documents
   * @param form choice, number, truth, duration, text, list, map or records
   * @param zero what stands for 0, or empty
   * @param choices of a choice or a list; else empty
   * @param otherwise its default as documents write it; null if there is none
   * @param fields of one of several records; else empty
   */
  public record One(
      String name,
      String label,
      String group,
      String about,
      String words,
      String form,
      String zero,
      List<String> choices,
      Object otherwise,
      List<One> fields) {}

  public static List<Kind> all() {
    var out = new ArrayList<Kind>();
    for (var kind : PanelKinds.ALL) {
      boolean query = kind.need() != vintrel.core.panel.Need.NOTHING;
      var settings = settings(kind.getClass());
      out.add(
          new Kind(
              kind.word(),
              kind.title(),
              kind.question().words(),
              kind.need().words(),
              query,
              settings));
    }
    return out;
  }

  private static List<One> settings(Class<?> type) {
    var out = new ArrayList<One>();
    var shape = RecordShape.of(type);
    for (var part : type.getRecordComponents()) {
      var name = RecordShape.name(part);
      var field = shape.field(name);
      var s = part.getAnnotation(Setting.class);
      var form = form(field.shape());
      out.add(
          new One(
              name,
              s.label().isEmpty() ? name.replace('-', ' ') : s.label(),
              s.group(),
              s.value(),
              s.words(),
              form,
              s.zero(),
              choices(field.shape()),
              field.otherwise(),
              form.equals("records") ? settings(item(part)) : List.of()));
    }
    return out;
  }

  private static Class<?> item(RecordComponent list) {
    var type = (ParameterizedType) list.getGenericType();
    return (Class<?>) type.getActualTypeArguments()[0];
  }

  private static String form(Shape shape) {
    return switch (shape) {
      case Shape.Choice c -> "choice";
      case Shape.Fed f -> "number";
      case Shape.Number n -> "number";
      case Shape.Whole w -> "number";
      case Shape.Truth t -> "truth";
      case Shape.Duration d -> "duration";
      case Shape.TextMap m -> "map";
      case Shape.ListOf l -> l.item() instanceof Shape.Fields ? "records" : "list";
      default -> "text";
    };
  }

  private static List<String> choices(Shape shape) {
    return switch (shape) {
      case Shape.Choice c -> c.values();
      case Shape.ListOf l when l.item() instanceof Shape.Choice c -> c.values();
      default -> List.of();
    };
  }
}
