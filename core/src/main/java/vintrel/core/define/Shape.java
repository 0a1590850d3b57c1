package vintrel.core.define;

import java.util.List;
import java.util.Map;
import java.util.function.Function;
import vintrel.core.panel.Feed;

/**
 * What a value of a document can be. One declaration per kind yields both the check of documents
 * ({@link Checker}) and the published JSON Schema ({@link Schema}).
 */
sealed interface Shape {
  /**
   * A text; numbers and truth values are read as texts.
   *
   * @param pattern a regular expression that Java and ECMA-262 read alike; empty for any text
   * @param fault what is wrong with a text that does not match
   */
  record Text(int max, String pattern, String fault) implements Shape {}

  /** One of several words, in any case. */
  record Choice(List<String> values) implements Shape {}

  /**
   * @param min inclusive; negative infinity for any number
   * @param max inclusive
   */
  record Number(double min, double max) implements Shape {
    Number(double min) {
      this(min, Double.POSITIVE_INFINITY);
    }
  }

  /**
   * A whole number.
   *
   * @param min inclusive
   * @param max inclusive
   */
  record Whole(int min, int max) implements Shape {}

  /**
   * A number, or the line that gives it: {@link vintrel.core.panel.Feed}.
   *
   * @param auto whether nothing need be set if the line gives nothing
   */
  record Fed(Shape number, boolean auto) implements Shape {
    /** A number as it is, the number otherwise of what is fed; null: none. */
    static Object plain(Object value) {
      var feed = Feed.of(value);
      return feed == null ? value : feed.otherwise();
    }
  }

  record Truth() implements Shape {}

  /**
   * A duration such as 30s or 1h30m; 0 is one too.
   *
   * @param min ms, inclusive
   */
  record Duration(long min) implements Shape {}

  /** The place of a panel: column, row, width, height. */
  record Place(int columns, int maxRow) implements Shape {}

  /**
   * @param plain true if a single value is read as a list of one
   * @param fault what is wrong with a list that is too short or too long
   */
  record ListOf(Shape item, int min, int max, boolean plain, String fault) implements Shape {
    /** One that may be empty. */
    ListOf(Shape item, int max) {
      this(item, 0, max, false, "has more than %,d entries".formatted(max));
    }
  }

  /**
   * An object whose fields depend on another field of the same object, which stands before it.
   *
   * @param by the name of that field
   * @param otherwise its value if it is not given
   */
  record Options(String by, String otherwise, Map<String, Fields> fields) implements Shape {}

  /** Names and texts. */
  record TextMap() implements Shape {}

  /**
   * An object.
   *
   * @param oneOf names of fields of which exactly one is there; empty if all are free
   * @param anyOf names of fields of which at least one is there; empty if none need be
   */
  record Fields(List<Field> fields, List<String> oneOf, List<String> anyOf) implements Shape {
    Fields(Field... fields) {
      this(List.of(fields), List.of(), List.of());
    }

    Fields oneOf(String... names) {
      return new Fields(fields, List.of(names), anyOf);
    }

    Fields anyOf(String... names) {
      return new Fields(fields, oneOf, List.of(names));
    }

    Field field(String name) {
      return fields.stream().filter(f -> f.name().equals(name)).findFirst().orElse(null);
    }
  }

  /**
   * A field of an object.
   *
   * @param otherwise the value if it is not given; null if it follows from others or is empty
   * @param about one sentence for people who write documents
   * @param check what is wrong with a value of the right shape, or null; null if nothing can be
   * @param unless a field and its value with which this one need not be there, or null
   */
  record Field(
      String name,
      Shape shape,
      boolean required,
      Object otherwise,
      String about,
      Function<Object, String> check,
      Map.Entry<String, String> unless) {

    static Field of(String name, Shape shape, String about) {
      return new Field(name, shape, false, null, about, null, null);
    }

    Field needed() {
      return new Field(name, shape, true, otherwise, about, check, unless);
    }

    Field or(Object value) {
      return new Field(name, shape, required, value, about, check, unless);
    }

    Field checked(Function<Object, String> by) {
      return new Field(name, shape, required, otherwise, about, by, unless);
    }

    Field unless(String field, String value) {
      return new Field(name, shape, required, otherwise, about, check, Map.entry(field, value));
    }
  }

  static Text text(int max) {
    return new Text(max, "", "");
  }

  static Number number() {
    return new Number(Double.NEGATIVE_INFINITY);
  }

  static <E extends Enum<E>> Choice choice(Class<E> type) {
    return new Choice(java.util.Arrays.stream(type.getEnumConstants()).map(Shape::word).toList());
  }

  /** A constant as documents write it. */
  static String word(Enum<?> constant) {
    return constant.name().toLowerCase(java.util.Locale.ROOT).replace('_', ' ');
  }
}
