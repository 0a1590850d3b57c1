package vintrel.core.define;

import java.util.List;
import java.util.Map;

/**
 * A kind of definition: record ↔ document ↔ JSON Schema, in one place.
 *
 * @param <D> the definition
 */
interface Kind<D extends Definition> {
  int MAX_NAME = 80;

  Shape.Field KIND = Shape.Field.of("kind", Shape.text(40), "What the document defines.").needed();

  Shape.Field NAME =
      Shape.Field.of(
              "name",
              new Shape.Text(
                  MAX_NAME,
                  "[a-z0-9][a-z0-9-]{0,79}",
                  "must use lower-case letters, digits and hyphens only, at most 80"),
              "The name in addresses and files; unique within its kind.")
          .needed();

  /** As documents write it. */
  String name();

  Shape.Fields shape();

  Class<D> type();

  /**
   * A checked document's record.
   *
   * @param path what faults begin with
   * @param faults takes those that concern several fields
   * @return null if there are faults
   */
  D read(Node doc, String path, List<String> faults);

  /** The document of a record; fields that have their default are absent. */
  Map<String, Object> write(D definition);

  /** A document with what earlier versions wrote in today's words; what is no fault stays. */
  default Map<String, Object> today(Map<String, Object> document) {
    return document;
  }

  /** A document that shows what is possible. */
  Map<String, Object> example();
}
