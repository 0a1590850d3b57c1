package vintrel.server.show;

import org.springframework.boot.jackson.autoconfigure.JsonMapperBuilderCustomizer;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import tools.jackson.core.JsonGenerator;
import tools.jackson.databind.SerializationContext;
import tools.jackson.databind.ValueSerializer;
import tools.jackson.databind.module.SimpleModule;
import vintrel.core.picture.Picture;
import vintrel.server.ask.PictureJson;

/** How drawings of panels are written as JSON: pictures for the chart script, no NaN anywhere. */
@Configuration(proxyBeanMethods = false)
class DrawingJson {
  @Bean
  JsonMapperBuilderCustomizer drawings() {
    var module = new SimpleModule("drawings");
    module.addSerializer(Picture.class, new Pictures());
    module.addSerializer(double[].class, new Numbers());
    return mapper -> mapper.addModule(module);
  }

  private static final class Pictures extends ValueSerializer<Picture> {
    @Override
    public void serialize(Picture picture, JsonGenerator out, SerializationContext context) {
      context.writeValue(out, PictureJson.of(picture));
    }
  }

  /** Missing and infinite numbers are null. */
  private static final class Numbers extends ValueSerializer<double[]> {
    @Override
    public void serialize(double[] values, JsonGenerator out, SerializationContext context) {
      out.writeStartArray();
      for (double v : values) {
        if (Double.isFinite(v)) {
          out.writeNumber(v + 0.0);
        } else {
          out.writeNull();
        }
      }
      out.writeEndArray();
    }
  }
}
