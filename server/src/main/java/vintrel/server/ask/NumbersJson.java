package vintrel.server.ask;

import tools.jackson.core.JsonGenerator;
import tools.jackson.databind.SerializationContext;
import tools.jackson.databind.ValueSerializer;
import tools.jackson.databind.annotation.JsonSerialize;

/** Numbers as JSON without an object for each; missing and infinite ones are null, −0 is 0. */
@JsonSerialize(using = NumbersJson.Writer.class)
record NumbersJson(double[] values) {
  static final class Writer extends ValueSerializer<NumbersJson> {
    @Override
    public void serialize(NumbersJson numbers, JsonGenerator out, SerializationContext context) {
      out.writeStartArray();
      for (double v : numbers.values()) {
        if (!Double.isFinite(v)) {
          out.writeNull();
        } else {
          out.writeNumber(v + 0.0);
        }
      }
      out.writeEndArray();
    }
  }
}
