package vintrel.core.panel;

import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;

/** A setting of a panel's kind: what documents, their schema and the panel's sheet say of it. */
@Retention(RetentionPolicy.RUNTIME)
@Target(ElementType.RECORD_COMPONENT)
public @interface Setting {
  /** One sentence for people who write documents. */
  String value();

  /** The row of the sheet that it stands in. */
  String group();

  /** What the sheet calls it; empty: its name. */
  String label() default "";

  /** Other words that find it. */
  String words() default "";

  /** Inclusive. */
  double min() default Double.NEGATIVE_INFINITY;

  /** Inclusive. */
  double max() default Double.POSITIVE_INFINITY;

  /** Whether a number is a duration, ms. */
  boolean duration() default false;

  /** What the sheet says for 0, which then means no number; empty: 0 is a number. */
  String zero() default "";

  /** Characters of a text, or entries of a list. */
  int most() default 200;
}
