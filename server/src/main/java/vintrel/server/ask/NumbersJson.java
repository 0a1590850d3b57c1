package vintrel.server.ask;

import tools.jackson.core.JsonGenerator;
import tools.jackson.databind.SerializationContext;
import tools.jackson.databind.ValueSerializer;
import tools.jackson.databind.annotation.JsonSerialize;

/** Numbers as JSON without an object for each; what is missing or infinite is null. */
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
          out.writeNumber(v);
        }
      }
      out.writeEndArray();
    }
  }
}
